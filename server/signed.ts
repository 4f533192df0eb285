import type { Request } from 'express'
import { verifyCall, type CalledStart } from '../engine/scheduling/called'
import type { Engine } from '../engine/context/engine'
import { bytesOf, parseSigned } from './bodies'

const signatures = new WeakMap<Request, string>()

/** The signature of a request that was found right. */
export const signatureOf = (request: Request): string => signatures.get(request) ?? ''

/**
 * What the body of a signed request says. Nothing is told of it to whoever did not sign it.
 * @throws FaultError `signed-out`, then `request`
 */
export async function signedBody(engine: Engine, request: Request, start: unknown): Promise<unknown> {
  const bytes = bytesOf(request)
  const signature = await verifyCall(engine, {
    ...(start as CalledStart),
    method: request.method,
    // what the caller wrote, whatever stands before us
    url: `${request.protocol}://${request.headers.host}${request.originalUrl}`,
    headers: request.headers as Record<string, string | string[]>,
    bytes,
  })
  signatures.set(request, signature)
  return parseSigned(bytes)
}
