import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto'
import { httpbis } from 'http-message-signatures'
import { fail } from '../../core/fault'
import type { Row } from '../../core/value'
import type { Engine } from '../context/engine'
import { decrypt, encrypt } from '../context/secrets'
import { transaction } from '../context/transaction'
import { documentOf } from '../jobs/versions'
import { keepCame, takenBy, takenTo, type StateRow } from './due'
import { pauseAt, pausesSince } from './pauses'

/** A start that is called, where it is. */
export interface CalledStart {
  readonly environment: string
  readonly job: string
  readonly start: string
}

/** Where a start is called. */
export const callPath = ({ environment, job, start }: CalledStart): string =>
  `/api/calls/${[environment, job, start].map(encodeURIComponent).join('/')}`

/** Makes the key that calls of a start are signed with, in the place of any that was there; it is told this once. @throws FaultError `unknown-name` */
export async function makeCallKey(engine: Engine, { environment, job, start }: CalledStart, by: string): Promise<string> {
  const secret = randomBytes(32).toString('base64url')
  const { rowCount } = await engine.db.$client.query(
    `insert into mattock.call_key (environment, job, start, secret, made_by, made_at)
     select environment, job, start, $4, $5, clock_timestamp() from mattock.start_state where environment = $1 and job = $2 and start = $3 and kind = 'called'
     on conflict (environment, job, start) do update set secret = excluded.secret, made_by = excluded.made_by, made_at = excluded.made_at, used_at = null`,
    [environment, job, start, encrypt(engine.key, secret), by],
  )
  if (!rowCount) fail('unknown-name', `${job} has no start "${start}" that can be called in ${environment}`, { job })
  return secret
} // prettier-ignore

/** Takes a key away: nobody can call the start any more. */
export async function dropCallKey(engine: Engine, { environment, job, start }: CalledStart): Promise<void> {
  await engine.db.$client.query('delete from mattock.call_key where environment = $1 and job = $2 and start = $3', [environment, job, start]) // prettier-ignore
}

export interface KnownCall {
  readonly start: string
  readonly path: string
  readonly madeBy: string
  readonly madeAt: string
  readonly usedAt: string | null
}

/** The keys of a job's starts, without what they are. */
export async function callKeys(engine: Engine, environment: string, job: string): Promise<KnownCall[]> {
  const { rows } = await engine.db.$client.query<Omit<KnownCall, 'path'>>(
    `select start, made_by as "madeBy", made_at as "madeAt", used_at as "usedAt" from mattock.call_key where environment = $1 and job = $2 order by start`,
    [environment, job],
  )
  return rows.map((row) => ({ ...row, path: callPath({ environment, job, start: row.start }) }))
}

/** A call as it came, its body not read. */
export interface Call extends CalledStart {
  readonly method: string
  readonly url: string
  readonly headers: Readonly<Record<string, string | string[]>>
  readonly bytes: Buffer
}

/** What a call says, its signature right. */
export interface SignedCall extends CalledStart {
  readonly signature: string
  /** Made up by the caller: what is called twice with the same is done once. */
  readonly id?: string | undefined
  readonly parameters?: Readonly<Row> | undefined
}

export interface TakenCall {
  readonly decision: number
  readonly state: string
  readonly why: string | null
}

/** Seconds that a signature may be old, or ahead where the caller's clock is. */
const fresh = 300

/**
 * Takes a call whose signature is right. The same call twice is one run.
 * @throws FaultError `signed-out` where there is no such start; `parameter`
 */
export async function takeCall(engine: Engine, call: SignedCall): Promise<TakenCall> {
  const { environment, job: name, start: id, signature } = call
  return await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<StateRow & { now: string }>(
      `select s.environment, s.job, s.start, s.kind, s.since, v.text, mattock.clock() as now from mattock.start_state s join mattock.job_version v on v.id = s.version_id
       where s.environment = $1 and s.job = $2 and s.start = $3 and s.kind = 'called' for update of s`,
      [environment, name, id],
    )
    const [row] = rows
    if (!row) return refuse()
    const job = documentOf(row)
    const start = job.starts.find((one) => one.id === id)
    if (!start) return refuse()
    for (const given of Object.keys(call.parameters ?? {}))
      if (!(given in job.parameters)) fail('parameter', `the job has no parameter "${given}"`, { path: `parameters.${given}` })
    const now = Date.parse(row.now)
    const key = `call ${createHash('sha256').update(call.id === undefined ? `signature ${signature}` : `id ${call.id}`).digest('hex')}`
    const paused = pauseAt(await pausesSince(client, environment, row.now), name, id, now)
    const taken = takenBy(job, start, now, job.slices && (await takenTo(client, environment, name)))
    const state = taken.state === 'due' && paused ? 'paused' : taken.state
    const why = state === 'paused' ? `paused by ${paused!.by}: ${paused!.why}` : taken.why
    await keepCame(client, row, start, [{ key, at: now, cause: call.id === undefined ? 'a web call' : `the web call ${call.id}`, ...taken, state, why, parameters: call.parameters }])
    if (state === 'paused') await client.query('update mattock.start_state set next_at = $4 where environment = $1 and job = $2 and start = $3', [environment, name, id, paused!.until])
    await client.query('update mattock.call_key set used_at = clock_timestamp() where environment = $1 and job = $2 and start = $3', [environment, name, id])
    await client.query(`select pg_notify('mattock', '{"starts":true}')`)
    const { rows: kept } = await client.query<TakenCall>('select id as decision, state, why from mattock.occasion where environment = $1 and job = $2 and start = $3 and key = $4', [environment, name, id, key])
    return kept[0]!
  })
} // prettier-ignore

/** One answer for whatever is wrong: who guesses learns nothing. */
const refuse = (): never =>
  fail('signed-out', 'the call is not signed with the key of this start: by RFC 9421, over "@method", "@path" and "content-digest", with created and keyid, not older than five minutes') // prettier-ignore

/**
 * The signature of a call, where it is the start's own: it (RFC 9421, HMAC with SHA-256) covers method, path and the digest of
 * its body (RFC 9530), is not older than five minutes, and has not expired by its own word.
 * @throws FaultError `signed-out` for any that is not signed so, whatever is wrong with it
 */
export async function verifyCall(engine: Engine, { environment, job, start, method, url, headers, bytes }: Call): Promise<string> {
  const { rows } = await engine.db.$client.query<{ secret: Buffer }>(
    'select secret from mattock.call_key where environment = $1 and job = $2 and start = $3',
    [environment, job, start],
  )
  // one that has no key is held against one that nobody knows, so that both take as long
  const key = rows[0] ? decrypt(engine.key, rows[0].secret) : randomBytes(32).toString('base64url')
  let signature = ''
  const right = await httpbis
    .verifyMessage(
      {
        keyLookup: () =>
          Promise.resolve({
            algs: ['hmac-sha256'],
            verify: (data, given, { expires }: { expires?: unknown } = {}) => {
              // the library lets an end go by for as long as clocks may differ; who says one means it
              if (expires !== undefined && !(Number(expires) >= Date.now() / 1000)) return Promise.resolve(false)
              const own = createHmac('sha256', Buffer.from(key, 'utf8')).update(data).digest()
              signature = given.toString('base64')
              return Promise.resolve(own.length === given.length && timingSafeEqual(own, given))
            },
          }),
        requiredFields: ['@method', '@path', 'content-digest'],
        requiredParams: ['created', 'keyid'],
        // the library takes the tolerance off the time of the signature before it looks how old that is
        maxAge: 2 * fresh,
        tolerance: fresh,
        all: true,
      },
      { method, url, headers: headers as Record<string, string | string[]> },
    )
    .catch(() => false)
  const digest = `sha-256=:${createHash('sha256').update(bytes).digest('base64')}:`
  if (right !== true || !rows[0] || headers['content-digest'] !== digest) refuse()
  return signature
} // prettier-ignore
