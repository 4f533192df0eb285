import { readingShape, valueShape } from '../../files/reading'
import { template } from '../../field/field'
import { defineSource } from './definition'

export const service = defineSource({
  words: 'a service',
  place: 'service',
  what: 'path',
  shape: {
    service: template({ as: 'text', names: 'service' })
      .optional()
      .describe('a connection of kind HTTP JSON service'),
    path: template({ as: 'address', label: 'address' })
      .optional()
      .describe('path and query of the service; values are percent-encoded'),
    records: readingShape.records,
    inner: readingShape.inner,
    ...valueShape,
  },
  fresh: ({ service: name = 'a-service' }) => ({ service: name, path: '/' }),
})
