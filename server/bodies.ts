import express, { type RequestHandler, type Response } from 'express'
import type { Route } from '../contract/route'
import type { Fault } from '../core/fault'
import type { Engine } from '../engine/context/engine'
import { whoAsks } from './auth'

/** Bytes of a body that anybody may send. */
const littleBytes = 16_384
/** Of one who is signed in: the largest document of a job; many rows or documents. */
const limits = { usual: '1500kb', large: '4mb' }

/** Lists and maps of a body inside each other: all that is asked for is flat, and reading deep ones takes seconds. */
const deepest = 64

const came = new WeakMap<object, Buffer>()

/** The bytes of a body as they came, for those that are signed. */
export const bytesOf = (request: object): Buffer => came.get(request) ?? Buffer.alloc(0)

const verify = (request: object, _response: unknown, bytes: Buffer): void => {
  came.set(request, bytes)
  if (depthOf(bytes) > deepest)
    throw Object.assign(new Error(`lists and maps inside each other more than ${deepest} deep are not read`), { status: 400 }) // prettier-ignore
}

const little = express.json({ limit: littleBytes, verify })
const usual = express.json({ limit: limits.usual, verify })
const large = express.json({ limit: limits.large, verify })

/** Reads the body of a route. Who is not known sends little: what they send beyond is not even read. */
export function readBody(
  engine: Engine,
  route: Route,
  refuse: (response: Response, fault: Fault) => void,
): RequestHandler {
  const much = route.large ? large : usual
  return (request, response, next) => {
    const { 'content-length': length, 'transfer-encoding': encoding } = request.headers
    if (encoding === undefined && Number(length ?? 0) <= littleBytes) return little(request, response, next)
    whoAsks(engine, request).then((account) => {
      if (account) much(request, response, next)
      else refuse(response, { code: 'signed-out', message: 'sign in first', where: {} })
    }, next)
  }
}

const [quote, backslash, open, close, openMap, closeMap] = [...'"\\[]{}'].map((letter) =>
  letter.charCodeAt(0),
)

/** How deep the lists and maps of a JSON text (RFC 8259) lie inside each other; of one that is broken, so far as it goes. */
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
