import { CloudEvent, HTTP } from 'cloudevents'
import { fetch } from 'undici'
import type { AddressSpec, MessageSpec } from '../../core/job/messages'
import { openAs } from '../connectors/connections'
import type { Engine } from '../context/engine'
import { PassingError } from '../context/passing'
import { stepFault } from '../context/step'
import type { Sender } from './definition'
import { signedHeaders } from './signature'

/** Milliseconds that an answer may take. */
const patience = 20_000

export const webhook: Sender<MessageSpec<'webhook'>, AddressSpec<'webhook'>> = {
  would: ({ text }) => `an event to ${text('on').text}: ${text('text').text}`,
  async send({ context, text, id }, spec) {
    const { engine, environment, run, load, step, signal } = context
    const { rows } = await engine.db.$client.query<{ job: string; key: string }>(
      'select r.job, l.key from mattock.load l join mattock.run r on r.id = l.run_id where l.id = $1',
      [load],
    )
    const [about] = rows
    return await post(engine, environment, text('on').text, signal, {
      id,
      source: `/environments/${encodeURIComponent(environment)}/jobs/${encodeURIComponent(about!.job)}`,
      type: spec.type === undefined ? 'mattock.notice' : text('type').text,
      subject: `runs/${run}`,
      time: new Date().toISOString(),
      data: { text: text('text').text, job: about!.job, environment, run, load, key: about!.key, step },
    })
  },
  tell: ({ engine, environment, signal, id, subject, text, type, source, at, data }, { on }) =>
    post(engine, environment, on, signal, { id, source, type, subject, time: at, data: { text, ...data } }),
}

interface Event {
  readonly id: string
  readonly source: string
  readonly type: string
  readonly subject: string
  readonly time: string
  readonly data: Readonly<Record<string, unknown>>
}

async function post(
  engine: Engine,
  environment: string,
  on: string,
  signal: AbortSignal,
  given: Event,
): Promise<string> {
  const { address, key, name } = await openAs(engine, 'webhook', on, environment)
  const event = new CloudEvent({ ...given, datacontenttype: 'application/json' })
  const { headers, body } = HTTP.structured(event)
  const type = String(headers['content-type'])
  const said = String(body)
  const answer = await fetch(address, {
    method: 'POST',
    headers: {
      'content-type': type,
      ...(key === undefined ? {} : await signedHeaders(key, address, type, said)),
    },
    body: said,
    redirect: 'manual',
    dispatcher: engine.network.agent,
    signal: AbortSignal.any([signal, AbortSignal.timeout(patience)]),
  }).catch((error: Error) => {
    const { cause } = error as { cause?: Error & { code?: string } }
    if (cause?.code === 'ADDRESS_REFUSED') stepFault('address', cause.message, 'let the address be asked, or choose another') // prettier-ignore
    throw new PassingError(`${name} does not answer: ${cause?.message ?? error.message}`, { cause: error })
  })
  const words = (await answer.text().catch(() => '')).slice(0, 300)
  if (answer.ok) return `an event to ${name}: answered ${answer.status}`
  const what = `${name} answered ${answer.status}${words === '' ? '' : `: ${words}`}`
  // RFC 6585 for 429; of 5xx another try may find it well
  if (answer.status === 429 || answer.status >= 500) throw new PassingError(what)
  return stepFault('webhook', what, 'look at the address and who receives there, then rerun')
}
