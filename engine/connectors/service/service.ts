import { isIP } from 'node:net'
import { fetch, Headers, type Response } from 'undici'
import type { ServiceSettings } from '../../../core/connection/service'
import { fail, FaultError } from '../../../core/fault'
import type { Row } from '../../../core/value'
import { AddressRefused, bareHost, type Network } from '../../context/network'
import type { Pace } from './pace'

/** An HTTP JSON service, its secret opened. Never leaves the engine. */
export interface Service {
  readonly name: string
  readonly settings: ServiceSettings
  readonly secret: string | undefined
  readonly pace: Pace
  readonly network: Network
}

/** One page of records as it came. */
export interface ServicePage {
  readonly records: readonly unknown[]
  readonly bytes: number
  /** The address it came from. */
  readonly address: string
}

export interface Asking {
  readonly signal?: AbortSignal
  /** Told of each pause: why, and for how long (milliseconds). */
  readonly onPause?: (reason: string, milliseconds: number) => void
  /** Path to the list of records, where it is not the connection's. */
  readonly records?: string | undefined
  /** Records wanted; the reading ends with the page that has enough of them. Without it all are read. */
  readonly limit?: number
}

const largestPage = 64 * 2 ** 20
const tries = 6
const longestPause = 120_000
const answerWithin = 30_000

/**
 * Reads a path of a service page by page, as its settings say. Answers 429 and 5xx, and lost connections, are asked for
 * again after the pause that `Retry-After` names (RFC 9110, 10.2.3: seconds or a date), else after growing pauses.
 * @throws FaultError `service` for any other answer, an answer that is no JSON or has no such list, pages that go in a
 *   circle, or a next page at another origin, to which the secret is never sent
 */
export async function* servicePages(
  service: Service,
  path: string,
  asking: Asking = {},
): AsyncGenerator<ServicePage> {
  const { settings } = service
  let address: URL | undefined = firstAddress(service, path)
  const seen = new Set<string>()
  let number = 0
  let offset = 0
  while (address) {
    if (seen.has(address.href))
      fault(service, `the pages go in a circle: ${address.pathname}${address.search} came again`)
    seen.add(address.href)
    const { answer, bytes, link } = await ask(service, address, asking)
    const records = listIn(service, answer, asking.records ?? settings.records, address)
    yield { records, bytes, address: address.href }
    number += records.length
    if (asking.limit !== undefined && number >= asking.limit) return
    offset += records.length
    address = nextAddress(service, address, answer, link, records.length, offset)
  }
}

/** The first address. @throws FaultError `service` for a path that leaves the service */
function firstAddress(service: Service, path: string): URL {
  const { settings } = service
  const base = new URL(settings.base.endsWith('/') ? settings.base : `${settings.base}/`)
  if (/^[a-z][a-z0-9+.-]*:|^\/\/|\\/i.test(path) || decoded(path).split(/[/?#]/).includes('..'))
    fault(service, `"${path}" is no path of the service`)
  const address = new URL(path.replace(/^\/+/, ''), base)
  if (address.origin !== base.origin) fault(service, `"${path}" leads away from ${base.origin}`)
  const put = (name: string, value: number) => {
    if (name !== '') address.searchParams.set(name, String(value))
  }
  if (settings.paging !== 'none') put(settings.size_parameter, settings.page_size)
  if (settings.paging === 'page') put(settings.page_parameter, settings.first_page)
  if (settings.paging === 'offset') put(settings.page_parameter, 0)
  return address
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

function nextAddress(
  service: Service,
  now: URL,
  answer: unknown,
  link: string | null,
  got: number,
  offset: number,
): URL | undefined {
  const { settings } = service
  const next = new URL(now)
  switch (settings.paging) {
    case 'none':
      return undefined
    case 'page': {
      if (got === 0 || (settings.size_parameter !== '' && got < settings.page_size)) return undefined
      next.searchParams.set(
        settings.page_parameter,
        String(Number(now.searchParams.get(settings.page_parameter)) + 1),
      )
      return next
    }
    case 'offset': {
      if (got === 0 || (settings.size_parameter !== '' && got < settings.page_size)) return undefined
      next.searchParams.set(settings.page_parameter, String(offset))
      return next
    }
    case 'cursor': {
      const cursor = settings.cursor_path
        .split('.')
        .reduce<unknown>((at, part) => (at as Row | null)?.[part], answer)
      if (cursor === null || cursor === undefined || cursor === '' || cursor === false) return undefined
      next.searchParams.set(settings.page_parameter, String(cursor))
      return next
    }
    case 'link': {
      const target = nextLink(link)
      if (target === undefined) return undefined
      const address = new URL(target, now)
      if (address.origin !== now.origin)
        fault(service, `the next page lies at ${address.origin}, which is another server`)
      return address
    }
  }
}

/** The target of the link with relation `next` in a Link header (RFC 8288, section 3). */
export function nextLink(header: string | null): string | undefined {
  const link = /<([^>]*)>((?:\s*;\s*[^\s,;="]+\s*(?:=\s*(?:"(?:[^"\\]|\\.)*"|[^",;\s]*))?)*)/g
  const parameter = /;\s*([^\s,;="]+)\s*(?:=\s*(?:"((?:[^"\\]|\\.)*)"|([^",;\s]*)))?/g
  for (const [, target, parameters] of (header ?? '').matchAll(link))
    for (const [, name, quoted, plain] of parameters!.matchAll(parameter))
      if (
        name!.toLowerCase() === 'rel' &&
        (quoted ?? plain ?? '').toLowerCase().split(/\s+/).includes('next')
      )
        return target
  return undefined
}

function headersOf({ settings, secret }: Service): Headers {
  const headers = new Headers({ accept: 'application/json', 'user-agent': 'Mattock' })
  for (const line of settings.headers.split('\n')) {
    const at = line.indexOf(':')
    if (at > 0) headers.set(line.slice(0, at).trim(), line.slice(at + 1).trim())
  }
  if (settings.sign_in === 'token') headers.set('authorization', `Bearer ${secret ?? ''}`)
  if (settings.sign_in === 'header' && settings.token_header) headers.set(settings.token_header, secret ?? '')
  if (settings.sign_in === 'basic')
    headers.set(
      'authorization',
      `Basic ${Buffer.from(`${settings.user}:${secret ?? ''}`).toString('base64')}`,
    )
  return headers
}

async function ask(
  service: Service,
  address: URL,
  asking: Asking,
): Promise<{ answer: unknown; bytes: number; link: string | null }> {
  for (let attempt = 1; ; attempt++) {
    refuseAddress(service, address)
    await keepLimit(service, asking)
    let reason: string
    let pause = Math.min(longestPause, 500 * 2 ** (attempt - 1))
    try {
      const within = AbortSignal.timeout(answerWithin)
      const response = await fetch(address, {
        headers: headersOf(service),
        // a redirect could carry the secret elsewhere
        redirect: 'manual',
        dispatcher: service.network.agent,
        signal: asking.signal ? AbortSignal.any([asking.signal, within]) : within,
      })
      if (response.ok) {
        const { text, bytes } = await bodyOf(service, response)
        return { answer: parsed(service, text, address), bytes, link: response.headers.get('link') }
      }
      const body = (await response.text().catch(() => '')).slice(0, 200)
      reason = `it answers ${response.status}${response.statusText ? ` ${response.statusText}` : ''}`
      if (response.status !== 429 && response.status < 500)
        fault(service, `${reason} for ${address.pathname}${address.search}${body ? `: ${body}` : ''}`)
      pause = retryAfter(response.headers.get('retry-after')) ?? pause
    } catch (error) {
      if (error instanceof FaultError) throw error
      asking.signal?.throwIfAborted()
      const { cause, message } = error as Error & { cause?: { code?: string; message?: string } }
      if (cause instanceof AddressRefused) fault(service, cause.message)
      reason = cause?.code ?? cause?.message ?? message
    }
    if (attempt >= tries) fault(service, `${reason} for ${address.pathname}, ${tries} times in a row`)
    if (pause > longestPause)
      fault(
        service,
        `${reason} and asks to wait ${Math.round(pause / 1000)} s; ${longestPause / 1000} s is the most we wait`,
      )
    asking.onPause?.(reason, pause)
    await sleep(pause, asking.signal)
  }
}

/** A host that is an address itself is not looked up. @throws FaultError `service` */
function refuseAddress(service: Service, { hostname }: URL): void {
  const host = bareHost(hostname)
  const refusal = isIP(host) === 0 ? undefined : service.network.refusal(host)
  if (refusal !== undefined) fault(service, refusal)
}

async function bodyOf(service: Service, response: Response): Promise<{ text: string; bytes: number }> {
  const parts: Uint8Array[] = []
  let bytes = 0
  if (!response.body) return { text: '', bytes }
  for await (const part of response.body as unknown as AsyncIterable<Uint8Array>) {
    bytes += part.length
    if (bytes > largestPage)
      fault(service, `an answer of more than ${largestPage / 2 ** 20} MB; ask for smaller pages`)
    parts.push(part)
  }
  return { text: Buffer.concat(parts).toString('utf8'), bytes }
}

/** Milliseconds that a Retry-After header asks for; undefined where it has none that can be read. */
export function retryAfter(header: string | null, now = Date.now()): number | undefined {
  if (header === null) return undefined
  if (/^\s*\d+\s*$/.test(header)) return Number(header) * 1000
  const at = Date.parse(header)
  return Number.isNaN(at) ? undefined : Math.max(0, at - now)
}

function parsed(service: Service, text: string, address: URL): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return fault(
      service,
      `the answer of ${address.pathname} is no JSON; it begins ${JSON.stringify(text.slice(0, 60))}`,
    )
  }
}

function listIn(service: Service, answer: unknown, path: string, address: URL): readonly unknown[] {
  const found =
    path === '' ? answer : path.split('.').reduce<unknown>((at, part) => (at as Row | null)?.[part], answer)
  if (Array.isArray(found)) return found
  if (path === '' && found !== null && typeof found === 'object') return [found]
  return fault(
    service,
    `the answer of ${address.pathname} has no list at "${path}"; it has ${Object.keys((answer as object) ?? {}).join(', ')}`,
  )
}

/** Waits until a request keeps within the limit of requests a minute. */
async function keepLimit({ settings, pace }: Service, asking: Asking): Promise<void> {
  if (settings.per_minute === 0) return
  for (;;) {
    const pause = await pace(settings.base, settings.per_minute)
    if (pause === 0) return
    asking.onPause?.(`${settings.per_minute} requests a minute are allowed`, pause)
    await sleep(pause, asking.signal)
  }
}

function sleep(milliseconds: number, signal?: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(() => {
      signal?.removeEventListener('abort', stop)
      resolve()
    }, milliseconds)
    const stop = () => {
      clearTimeout(timer)
      reject(signal!.reason as Error)
    }
    if (signal?.aborted) return stop()
    signal?.addEventListener('abort', stop, { once: true })
  })
}

function fault(service: Service, message: string): never {
  return fail('service', `${service.name}: ${message}`, { connection: service.name })
}

/** Addresses that the settings name. */
export const endpointsOf = ({ settings }: Service): string[] =>
  settings.endpoints
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '')
