import type { Engine } from '../engine/context/engine'
import { savingAsks, type PlannerAsks } from '../engine/planner/asks'
import type { Outlook, OutlookAsk } from '../engine/scheduling/outlook'
import type { Asked } from './handler'

type Who = Pick<Asked, 'account' | 'options' | 'response'>
type Given<K extends keyof PlannerAsks> = PlannerAsks[K] extends (engine: never, ...given: infer G) => unknown
  ? G
  : never

/** Works something out for whoever asks, until they leave; what saves something goes on. */
export function plannerOf<K extends keyof PlannerAsks>(
  { account, options, response }: Who,
  kind: K,
  ...given: Given<K>
): Promise<Awaited<ReturnType<PlannerAsks[K]>>> {
  const gone = new AbortController()
  response.once('close', () => gone.abort())
  return options.planner.ask(
    { person: String(account.id), ...(savingAsks.has(kind) ? {} : { signal: gone.signal }) },
    kind,
    ...(given as never),
  ) as never
}

/** Milliseconds for which a look ahead is as good as new, as long as nothing that it goes by was changed. */
const fresh = 5000

interface Looked {
  readonly key: string
  readonly from: number
  readonly at: number
  readonly outlook: Promise<Outlook>
}

const looks = new WeakMap<Engine, Looked[]>()

/** Looks ahead for whoever asks; who asks for the same within some seconds shares it. */
export async function lookOf(asked: Who & { readonly engine: Engine }, ask: OutlookAsk): Promise<Outlook> {
  if (ask.moved && ask.moved.length > 0) return await plannerOf(asked, 'lookAhead', ask)
  const { engine, account, options } = asked
  const from = Date.parse(ask.from)
  const { environment, workers, caps } = ask
  const key = JSON.stringify([
    environment,
    Date.parse(ask.until) - from,
    workers,
    caps,
    await goesBy(engine, environment),
  ])
  const now = performance.now()
  const known = (looks.get(engine) ?? []).filter(({ at }) => now - at < fresh)
  const like = known.find((one) => one.key === key && Math.abs(from - one.from) < fresh)
  if (like) return await like.outlook
  // it goes on though the page that asked first is left: others may wait for it
  const outlook: Promise<Outlook> = options.planner.ask({ person: String(account.id) }, 'lookAhead', ask)
  const made = { key, from, at: now, outlook }
  looks.set(engine, [...known, made])
  outlook.catch(() =>
    looks.set(
      engine,
      (looks.get(engine) ?? []).filter((one) => one !== made),
    ),
  )
  return await outlook
}

/** What a look ahead goes by, as a text that is another where any of it was changed. */
async function goesBy(engine: Engine, environment: string): Promise<string> {
  const { rows } = await engine.db.$client.query<{ text: string }>(
    `select concat_ws('/', (select max(id) from mattock.job_put), (select count(*) from mattock.job),
       (select md5(string_agg(p::text, ' ' order by p.id)) from mattock.pause p where p.environment = $1),
       (select md5(string_agg(c.name || ' ' || c.cap, ' ' order by c.name)) from mattock.connection c where c.cap is not null),
       (select max(id) || ' ' || max(ended_at) from mattock.run where environment = $1),
       (select count(*) from mattock.run r join mattock.wait_set s on s.run_id = r.id where r.environment = $1 and r.state in ('running', 'held') and not r.past and s.released_at is null),
       (select string_agg(c::text, ' ') from mattock.shown_clock c),
       (select sum(capacity) from mattock.worker where beat_at > now() - interval '15 seconds' and not draining)) as text`,
    [environment],
  )
  return rows[0]!.text
}
