import express, { type Request, type RequestHandler, type Response } from 'express'
import type { Route } from '../contract/route'
import { fail, type Fault } from '../core/fault'
import type { Engine } from '../engine/context/engine'
import { whoAsks } from './auth'

/** Bytes of a body that anybody may send. */
const littleBytes = 16_384
/** Of one who is signed in: the largest document of a job; many rows or documents. */
const limits = { usual: '1500kb', large: '4mb' }

/** Lists and maps of a body inside each other: all that is asked for is flat, and reading deep ones takes seconds. */
const deepest = 64

/** Milliseconds in which some of a body must arrive. */
const silence = 30_000

const tooDeep = `lists and maps inside each other more than ${deepest} deep are not read`
const otherLetters = 'a body is JSON in UTF-8 (RFC 8259, 8.1)'

/** Depth is counted in the bytes, so that they must be those of the letters: of UTF-8. */
const verify = (_request: object, _response: unknown, bytes: Buffer, charset: string): void => {
  if (!/^utf-?8$/i.test(charset)) throw Object.assign(new Error(otherLetters), { status: 400 })
  if (depthOf(bytes) > deepest) throw Object.assign(new Error(tooDeep), { status: 400 })
}

const little = express.json({ limit: littleBytes, verify })
const usual = express.json({ limit: limits.usual, verify })
const large = express.json({ limit: limits.large, verify })
const asItComes = express.raw({ limit: littleBytes, type: () => true, inflate: false })

/** Reads the body of a route. Who is not known sends little: what they send beyond is not even read. */
export function readBody(
  engine: Engine,
  route: Route,
  refuse: (response: Response, fault: Fault) => void,
  within = silence,
): RequestHandler {
  const much = route.large ? large : usual
  return (request, response, next) => {
    endSilence(request, response, refuse, within)
    // nothing is said of what is in it before its signature is looked at
    if (route.signed) return asItComes(request, response, next)
    const { 'content-length': length, 'transfer-encoding': encoding } = request.headers
    if (encoding === undefined && Number(length ?? 0) <= littleBytes) return little(request, response, next)
    whoAsks(engine, request).then((account) => {
      if (account) much(request, response, next)
      else refuse(response, { code: 'signed-out', message: 'sign in first', where: {} })
    }, next)
  }
}

/** The bytes of a body that is signed. */
export const bytesOf = ({ body }: Request): Buffer => (Buffer.isBuffer(body) ? body : Buffer.alloc(0))

/** What a signed body says. @throws FaultError `request` */
export function parseSigned(bytes: Buffer): unknown {
  if (bytes.length === 0) return {}
  if (depthOf(bytes) > deepest) fail('request', tooDeep)
  try {
    return JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes))
  } catch (error) {
    fail(
      'request',
      error instanceof TypeError ? otherLetters : `the body is no JSON: ${(error as Error).message}`,
    )
  }
}

/** Ends a request of which nothing arrives any more, before it is whole. */
function endSilence(
  request: Request,
  response: Response,
  refuse: (response: Response, fault: Fault) => void,
  within: number,
): void {
  if (request.complete) return
  let read = request.socket.bytesRead
  const timer = setInterval(() => {
    if (request.complete || response.destroyed) return clearInterval(timer)
    if (request.socket.bytesRead !== read) return void (read = request.socket.bytesRead)
    clearInterval(timer)
    if (!response.headersSent) {
      response.setHeader('Connection', 'close')
      refuse(response, {
        code: 'silent',
        message: `nothing of the body arrived for ${within / 1000} s`,
        where: {},
      })
    }
    response.once('finish', () => request.socket.destroy())
  }, within)
  timer.unref()
  response.once('close', () => clearInterval(timer))
}

const [quote, backslash, open, close, openMap, closeMap] = [...'"\\[]{}'].map((letter) =>
  letter.charCodeAt(0),
)

/**
 * How deep the lists and maps of a JSON text (RFC 8259) lie inside each other; of one that is broken, so far as it goes.
 * @param bytes in UTF-8
 */
export function depthOf(bytes: Uint8Array): number {
  let depth = 0
  let most = 0
  let quoted = false
  for (let i = 0; i < bytes.length; i++) {
    const byte = bytes[i]
    if (quoted) {
      if (byte === backslash) i++
      else if (byte === quote) quoted = false
    } else if (byte === quote) quoted = true
    else if (byte === open || byte === openMap) most = Math.max(most, ++depth)
    else if (byte === close || byte === closeMap) depth--
  }
  return most
}
