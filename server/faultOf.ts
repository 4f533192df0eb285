import { z } from 'zod'
import { FaultError, type Fault } from '../core/fault'
import { faultCodes } from '../core/faultCodes'
import { mayPass, postgresMessage } from '../engine/connectors/postgres/tables'
import { isUnreachable } from '../engine/context/passing'
import { DocumentError } from '../engine/jobs/versions'
import type { HealthWatch } from './health'

interface Told {
  readonly status: number
  readonly fault: Fault
  /** All of them, where a document has several. */
  readonly faults?: readonly Fault[]
  /** A mistake of Mattock's own: its log is to have all of it. */
  readonly ours?: boolean
}

/** What a request that failed is answered with. */
export function faultOf(error: Error, health: HealthWatch): Told {
  if (error instanceof DocumentError) return { status: 422, fault: error.faults[0]!, faults: error.faults }
  if (error instanceof FaultError) return told(error.fault)
  if (error instanceof z.ZodError) {
    const [issue] = error.issues
    return told({
      code: 'request',
      message: `${issue?.path.join('.') || 'the request'}: ${issue?.message ?? 'cannot be read'}`,
      where: { path: issue?.path.join('.') },
    })
  }
  const asked = databaseFault(error, health)
  if (asked) return asked
  if ('limit' in error && typeof error.limit === 'number' && 'status' in error && error.status === 413)
    return { status: 413, fault: { code: 'request', message: `more than ${Math.round(error.limit / 1024).toLocaleString('en')} kB at once are not read; send it in several parts`, where: {} } } // prettier-ignore
  if ('status' in error && typeof error.status === 'number' && error.status < 500)
    return { status: error.status, fault: { code: 'request', message: error.message, where: {} } }
  return {
    ...told({ code: 'internal', message: 'Mattock made a mistake; its log says more', where: {} }),
    ours: true,
  }
}

const told = (fault: Fault): Told => ({ status: faultCodes[fault.code], fault })

/** The fault of a database that did not do what it was asked; undefined for any other error. */
function databaseFault(error: Error, health: HealthWatch): Told | undefined {
  // Drizzle wraps what the driver says
  const below = error.cause instanceof Error && ('code' in error.cause || isAway(error.cause))
  const cause = (below ? error.cause : error) as Error & { code?: string }
  const { code } = cause
  if (code === 'ENOSPC' || code === '53100')
    return told({ code: 'no-space', message: 'there is no space left on the disk, so nothing was kept; make room and try again', where: {} }) // prettier-ignore
  if (isAway(cause)) {
    health.metNoDatabase(cause)
    const [words = 'the database is away'] = health.now().words
    return told({ code: 'away', message: `${words}; it is tried again by itself`, where: {} })
  }
  if (code === undefined || !/^[0-9A-Z]{5}$/.test(code)) return undefined
  if (mayPass(cause) || code === '55P03' || code === '57014')
    return told({
      code: 'busy',
      message: `somebody else was at the same in the same moment (${cause.message}); nothing was changed, try again`,
      where: {},
    })
  if (code.startsWith('23')) return told({ code: 'conflict', message: postgresMessage(cause), where: {} })
  return { ...told({ code: 'database', message: `the database refuses it: ${postgresMessage(cause)}`, where: {} }), ours: /^(XX|42)/.test(code) } // prettier-ignore
}

/** Does nobody answer, or is who answers about to end or just beginning? (SQLSTATE classes 08, 57P) */
const isAway = (error: Error & { code?: string }): boolean =>
  /^(08|57P)/.test(error.code ?? '') || error.code === '53300' || isUnreachable(error)
