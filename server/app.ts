import { existsSync } from 'node:fs'
import { join } from 'node:path'
import express, { type NextFunction, type Request, type Response } from 'express'
import { rateLimit } from 'express-rate-limit'
import helmet from 'helmet'
import type { Logger } from 'pino'
import { z } from 'zod'
import { plainRoutes, type PlainRoute } from '../contract/plain'
import { openApi } from '../contract/openapi'
import type { Needs, Route } from '../contract/route'
import { routes, type Routes } from '../contract/routes'
import type { Fault } from '../core/fault'
import { may } from '../core/rights'
import { faultCodes } from '../core/faultCodes'
import { jobJsonSchema } from '../core/job/document'
import type { Engine } from '../engine/context/engine'
import { isSaved } from '../engine/jobs/versions'
import type { Asked, ServerOptions } from './handler'
import { fromOurPages, lineOf, whoAsks, type Account } from './auth'
import { readBody } from './bodies'
import { liveEvents } from './events'
import { environmentIn, environmentOf, maySomewhere } from './environmentOf'
import { faultOf } from './faultOf'
import { handlers } from './handlers'
import { isOurHost } from './hosts'
import { startsCalendar } from './calendar'
import { signedBody } from './signed'
import { Turns } from './turns'
import { downloadCatalog } from './handlers/catalog'
import { downloadRejects } from './handlers/rejects'

const untimed: ReadonlySet<string> = new Set([plainRoutes.health.path, plainRoutes.events.path])

export function makeApp(engine: Engine, options: ServerOptions, log: Logger): express.Express {
  const app = express()
  app.disable('x-powered-by')
  // an address has one spelling: another one meets no route, and so none of its limits
  app.enable('case sensitive routing')
  app.enable('strict routing')
  // without a proxy nobody's word is taken on where a request comes from
  app.set('trust proxy', options.proxies?.length ? [...options.proxies] : false)
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          defaultSrc: ["'self'"],
          // the style library writes its rules into the page
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          workerSrc: ["'self'", 'blob:'],
          upgradeInsecureRequests: null,
        },
      },
      strictTransportSecurity: false,
    }),
  )
  app.use((request, response, next) => {
    if (isOurHost(request.headers.host, options.hosts ?? [])) return next()
    sendFault(response, {
      code: 'host',
      message: 'this server does not go by that name; MATTOCK_HOSTS says which it goes by',
      where: {},
    })
  })
  const turns = new Turns()
  const lookUps = new Turns({ atOnce: 4, waiting: 1000 })
  app.use((request, response, next) => {
    // streams stay, and are counted by themselves; how we are is known without looking
    if (!request.path.startsWith('/api/') || untimed.has(request.path)) return next()
    const turn = async () => {
      const from = `from ${request.ip}`
      // who asks for the first time is looked up in a moment, and then waits among their own
      if (lineOf(request) === 'unknown')
        await lookUps.within(from, response, async () => void (await whoAsks(engine, request)))
      const line = lineOf(request)
      await turns.take(line.startsWith('person') ? line : from, response)
    }
    turn().then(() => next(), next)
  })
  // each counts its own: who guesses at one keeps nobody from another
  for (const { path } of [routes.signIn, routes.invitation, routes.callStart])
    app.post(
      path,
      rateLimit({
        windowMs: 60_000,
        limit: 10,
        standardHeaders: true,
        legacyHeaders: false,
        // only failures count, so that many people behind one address can come in
        skipSuccessfulRequests: true,
        handler: (_request, response) =>
          sendFault(response, {
            code: 'too-many',
            message: 'too many tries; wait a minute',
            where: {},
          }),
      }),
    )
  const plain = (
    route: PlainRoute,
    answer: (request: Request, response: Response, account: Account) => unknown,
  ) =>
    app[route.method](route.path, (request, response, next) => {
      const work = async () => {
        // who asks is read from the database, which may be what is away
        const account = route.needs === 'nobody' ? undefined : await whoAsks(engine, request)
        const at = route.of && (await environmentOf(engine, { of: route.of }, { params: { id: numberIn(request.params.id) }, query: {}, body: {} })) // prettier-ignore
        const fault = refusal(route.needs, account, at)
        if (fault) return sendFault(response, fault)
        // a route for nobody in particular does not look
        await answer(request, response, account!)
      }
      work().catch(next)
    })
  plain(plainRoutes.openApi, madeOnce(openApi))
  plain(plainRoutes.jobSchema, madeOnce(jobJsonSchema))
  plain(plainRoutes.health, (_request, response) => {
    const health = options.health.now()
    response
      .status(health.ok ? 200 : plainRoutes.health.also)
      .setHeader('Cache-Control', 'no-store')
      .json(health)
  })
  plain(plainRoutes.events, (request, response, account) => liveEvents(engine, account, request, response))
  plain(plainRoutes.rejectsFile, (request, response) => downloadRejects(engine, request, response))
  plain(plainRoutes.startsCalendar, (request, response, account) =>
    startsCalendar(engine, options, String(account.id), request, response),
  )
  plain(plainRoutes.catalogFile, (request, response) => downloadCatalog(engine, request, response))
  for (const key of Object.keys(routes) as (keyof Routes)[]) register(app, key, engine, options)
  app.use((request, response, next) => {
    if (!looksLikeApi(request.path)) return next()
    sendFault(response, { code: 'unknown-name', message: 'there is nothing at this address', where: {} })
  })
  servePages(app, options.pages)
  app.use((error: Error, request: Request, response: Response, _next: NextFunction) => {
    if (response.headersSent) return void response.end()
    const { status, fault, faults, ours } = faultOf(error, options.health)
    if (ours) log.error({ error, path: request.path }, 'a request failed')
    if (status === 503) response.setHeader('Retry-After', '2')
    response.status(status).json({ error: fault, ...(faults ? { faults } : {}) })
  })
  return app
}

/** Sends a document that is large and does not change while the server runs: it is made when it is first asked for. */
function madeOnce(make: () => unknown): (request: Request, response: Response) => void {
  let made: Buffer | undefined
  return (_request, response) =>
    void response.type('json').end((made ??= Buffer.from(JSON.stringify(make()))))
}

function sendFault(response: Response, fault: Fault, status: number = faultCodes[fault.code]): void {
  response.status(status).json({ error: fault })
}

/** Why somebody may not call a route; undefined where they may. The one place where rights are held. */
function refusal(needs: Needs, account: Account | undefined, environment?: string): Fault | undefined {
  if (needs === 'nobody') return undefined
  if (!account) return { code: 'signed-out', message: 'sign in first', where: {} }
  if (may(account, needs, environment)) return undefined
  const where = environment === undefined || needs === 'house' ? '' : ` in ${environment}`
  return { code: 'forbidden', message: `this account may not ${refused[needs]}${where}`, where: {} }
}

const refused: Readonly<Record<Exclude<Needs, 'nobody'>, string>> = {
  look: 'look at this',
  run: 'run anything',
  build: 'change anything',
  house: 'change connections, people or what is kept',
}

/** The number in an address, 0 where there is none: nothing has that. */
const numberIn = (text: unknown): number => (/^\d{1,9}$/.test(String(text)) ? Number(text) : 0)

function register(app: express.Express, key: keyof Routes, engine: Engine, options: ServerOptions): void {
  const route: Route = routes[key]
  const handler = handlers[key] as unknown as (asked: Asked, given: object) => Promise<unknown>
  app[route.method](route.path, readBody(engine, route, sendFault), (request, response, next) => {
    const answer = async () => {
      if (route.method !== 'get' && !route.signed && !fromOurPages(request))
        return sendFault(response, {
          code: 'forbidden',
          message: 'this request does not come from Mattock’s own pages',
          where: {},
        })
      const account = await whoAsks(engine, request)
      // who may do it nowhere is told so before what they ask for is read
      const fault = refusal(route.needs, account)
      if (fault && !maySomewhere(route.needs, account)) return sendFault(response, fault)
      if (route.inPerson && account && account.session === undefined)
        return sendFault(response, {
          code: 'forbidden',
          message: 'a token may not do this; sign in with your password',
          where: {},
        })
      const given = {
        params: route.params.parse(request.params),
        query: route.query.parse(request.query),
        body: route.body.parse(
          route.signed
            ? await signedBody(engine, request, route.params.parse(request.params))
            : (request.body ?? {}),
        ),
      }
      const there = route.somewhere
        ? undefined
        : refusal(route.needs, account, await environmentOf(engine, route, given))
      if (there) return sendFault(response, there)
      // a text can hold statements: who may only look sees what saved ones come to
      const { text } = given.body as { text?: unknown }
      if (
        route.typed &&
        !may(account!, 'build', environmentIn(given)) &&
        !(await isSaved(engine, String(text)))
      )
        return sendFault(response, {
          code: 'forbidden',
          message: 'this account may look at jobs as they were saved, but not try other texts',
          where: {},
        })
      // a route for nobody in particular has no account; its handlers do not look
      const result = await handler({ engine, account: account!, request, response, options }, given)
      // some write their answer themselves, piece by piece
      if (response.headersSent) return
      if (options.checkAnswers) checkAnswer(key, route, result ?? {})
      response.setHeader('Cache-Control', 'no-store')
      response.json(result ?? {})
    }
    answer().catch(next)
  })
}

/** Holds an answer to what the contract says of it; for tests. @throws Error where it is another */
function checkAnswer(key: string, route: Route, result: unknown): void {
  // as it travels: what is undefined is not there
  const { error } = route.response.safeParse(JSON.parse(JSON.stringify(result)))
  if (error) throw new Error(`${key} answers otherwise than the contract says: ${z.prettifyError(error)}`)
}

/** Is it an address of the API, however it is spelled? */
function looksLikeApi(path: string): boolean {
  let plain = path
  try {
    plain = decodeURIComponent(path)
  } catch {
    // what cannot be decoded is taken as it is
  }
  return /^[/\\\s.]*api([/\\;.]|$)/i.test(plain)
}

function servePages(app: express.Express, folder: string): void {
  if (!existsSync(folder)) return
  app.use(
    express.static(folder, {
      index: false,
      maxAge: '1y',
      immutable: true,
      setHeaders: (response, path) =>
        path.endsWith('.html') && response.setHeader('Cache-Control', 'no-cache'),
    }),
  )
  app.get(/^(?!\/(api|assets)\/).*/, (_request, response) => {
    response.setHeader('Cache-Control', 'no-cache')
    response.sendFile(join(folder, 'index.html'))
  })
}
