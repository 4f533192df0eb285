import { existsSync } from 'node:fs'
import { join } from 'node:path'
import express, { type NextFunction, type Request, type Response } from 'express'
import { rateLimit } from 'express-rate-limit'
import helmet from 'helmet'
import type { Logger } from 'pino'
import { z } from 'zod'
import { openApi } from '../contract/openapi'
import type { Route } from '../contract/route'
import { routes, type Routes } from '../contract/routes'
import { FaultError, type Fault } from '../core/fault'
import { jobJsonSchema } from '../core/job/document'
import type { Engine } from '../engine/context/engine'
import { DocumentError, isSaved } from '../engine/jobs/versions'
import type { Asked, ServerOptions } from './handler'
import { fromOurPages, whoAsks, type Account } from './auth'
import { liveEvents } from './events'
import { handlers } from './handlers'
import { downloadCatalog } from './handlers/catalog'
import { downloadRejects } from './handlers/rejects'

const statusOf: Record<string, number> = {
  'unknown-name': 404,
  conflict: 409,
  'plan-stops': 409,
  'still-running': 409,
  'not-running': 409,
  'not-held': 409,
  'signed-out': 401,
  forbidden: 403,
  'too-many': 429,
}

export function makeApp(engine: Engine, options: ServerOptions, log: Logger): express.Express {
  const app = express()
  app.disable('x-powered-by')
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
  app.use(express.json({ limit: '8mb' }))
  const signIns = rateLimit({
    windowMs: 60_000,
    limit: 10,
    standardHeaders: true,
    legacyHeaders: false,
    // only failures count, so that many people behind one address can come in
    skipSuccessfulRequests: true,
    handler: (_request, response) =>
      sendFault(response, {
        code: 'too-many',
        message: 'too many tries to sign in; wait a minute',
        where: {},
      }),
  })
  app.post(routes.signIn.path, signIns)
  app.get('/api/openapi.json', (_request, response) => void response.json(openApi()))
  app.get('/api/schema/job.json', (_request, response) => void response.json(jobJsonSchema()))
  app.get('/api/health', (_request, response) => void response.json({ ok: true }))
  const signedIn = async (request: Request, response: Response): Promise<Account | undefined> => {
    const account = await whoAsks(engine, request)
    if (!account) sendFault(response, { code: 'signed-out', message: 'sign in first', where: {} })
    return account
  }
  app.get('/api/events', (request, response, next) => {
    signedIn(request, response).then((account) => account && liveEvents(engine, request, response), next)
  })
  app.get('/api/runs/:id/loads/:load/rejects.csv', (request, response, next) => {
    signedIn(request, response)
      .then((account) => (account ? downloadRejects(engine, request, response) : undefined))
      .catch(next)
  })
  app.get('/api/catalog.csv', (request, response, next) => {
    signedIn(request, response)
      .then((account) => (account ? downloadCatalog(engine, request, response) : undefined))
      .catch(next)
  })
  for (const key of Object.keys(routes) as (keyof Routes)[]) register(app, key, engine, options)
  app.use('/api', (_request, response) =>
    sendFault(response, { code: 'unknown-name', message: 'there is nothing at this address', where: {} }),
  )
  servePages(app, options.pages)
  app.use((error: Error, request: Request, response: Response, _next: NextFunction) => {
    if (response.headersSent) return void response.end()
    if (error instanceof DocumentError) {
      response.status(422).json({ error: error.faults[0], faults: error.faults })
    } else if (error instanceof FaultError) sendFault(response, error.fault)
    else if (error instanceof z.ZodError) {
      const [issue] = error.issues
      sendFault(response, {
        code: 'request',
        message: `${issue?.path.join('.') || 'the request'}: ${issue?.message ?? 'cannot be read'}`,
        where: { path: issue?.path.join('.') },
      })
    } else if ('status' in error && typeof error.status === 'number' && error.status < 500) {
      sendFault(response, { code: 'request', message: error.message, where: {} }, error.status)
    } else {
      log.error({ error, path: request.path }, 'a request failed')
      sendFault(
        response,
        { code: 'internal', message: 'Mattock made a mistake; its log says more', where: {} },
        500,
      )
    }
  })
  return app
}

function sendFault(response: Response, fault: Fault, status = statusOf[fault.code] ?? 400): void {
  response.status(status).json({ error: fault })
}

/** Operations that work with a document as it was typed, and read from the systems that it names. */
const runsText: ReadonlySet<keyof Routes> = new Set(['resolveJob', 'mapping', 'previewRoster', 'jobEffect'])

function register(app: express.Express, key: keyof Routes, engine: Engine, options: ServerOptions): void {
  const route: Route = routes[key]
  const handler = handlers[key] as unknown as (asked: Asked, given: object) => Promise<unknown>
  app[route.method](route.path, (request, response, next) => {
    const answer = async () => {
      const changes = route.method !== 'get'
      if (changes && !fromOurPages(request))
        return sendFault(response, {
          code: 'forbidden',
          message: 'this request does not come from Mattock’s own pages',
          where: {},
        })
      const account = await whoAsks(engine, request)
      if (!account && !route.open)
        return sendFault(response, { code: 'signed-out', message: 'sign in first', where: {} })
      const reads =
        key === 'checkJob' ||
        key === 'resolveJob' ||
        key === 'mapping' ||
        key === 'testConnection' ||
        key === 'makePlan' ||
        key === 'draftOneJob' ||
        key === 'controlEffect' ||
        key === 'jobEffect' ||
        key === 'previewRoster' ||
        key === 'forecastPlan' ||
        route.open ||
        key === 'signOut'
      if (changes && !reads && account?.role !== 'engineer')
        return sendFault(response, {
          code: 'forbidden',
          message: 'this account may look, but not change or run anything',
          where: {},
        })
      const given = {
        params: route.params.parse(request.params),
        query: route.query.parse(request.query),
        body: route.body.parse(request.body ?? {}),
      }
      // a text can hold statements: who may only look sees what saved ones come to
      const { text } = given.body as { text?: unknown }
      if (account?.role !== 'engineer' && runsText.has(key) && !(await isSaved(engine, String(text))))
        return sendFault(response, {
          code: 'forbidden',
          message: 'this account may look at jobs as they were saved, but not try other texts',
          where: {},
        })
      // an open route has nobody; its handlers do not look
      const result = await handler({ engine, account: account!, request, response, options }, given)
      // some write their answer themselves, piece by piece
      if (response.headersSent) return
      response.setHeader('Cache-Control', 'no-store')
      response.json(result ?? {})
    }
    answer().catch(next)
  })
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
