import type { Mode } from './definition'
import { insertAll } from './insert'

export const append: Mode = { straight: true, apply: insertAll }
