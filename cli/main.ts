import { writeOnAtAllCosts } from '../engine/context/tell'
import { UsageError } from './usage'
import { argv, exit } from 'node:process'
import { versionOf } from './version'
import { didYouMean } from '../core/expression/nearest'

const usage = `Mattock: see every load before it runs; prove every load after it ran.

  ./mattock start [--demo [--fast N]] [--port N] [--data DIR] [--workers N] [--background] [--json]
  ./mattock stop [--data DIR]
  ./mattock test
  ./mattock plan JOB [--env E] [--slices FROM/TO] [--set k=v]… [--only EXPR] [--compare PLAN|last] [--json | --sarif]
  ./mattock run JOB  [--env E] [--slices FROM/TO] [--set k=v]… [--only EXPR] [--wait] [--json]
  ./mattock rerun RUN --failed [--keep] | --from STEP [--again] | --anew [--wait] [--json]   --anew: what is not done, by the rows, files and job of now
  ./mattock runs [--job JOB] [--env E] [--state S] [--limit N] [--json]
  ./mattock show RUN [--json]
  ./mattock proof RUN                  all that a run did, as one JSON document
  ./mattock starts [--env E] [--hours N] [--limit N] [--json]   what begins by itself next; in the live environment where none is said
  ./mattock arrivals [JOB] [--env E] [--json]               what the newest slice of each job expects by file, and whether it came
  ./mattock verify RUN [--json]        is what it left still as it left it?
  ./mattock survey CONNECTION [--env E] [--include P]… [--exclude P]… [--prefix P] [--accept] [--json]
  ./mattock put FILE… [--env E] [--remove] [--message M] [--json]     jobs, control tables, connections, rules of alerts
  ./mattock get job|control|connection|alert NAME [--env E]     or --all [--into DIR]
  ./mattock worker [--data DIR] [--capacity N] [--tags T,…]     one more worker; needs DATABASE_URL

FROM/TO is half-open: 2026-11-01/2026-11-05 is four days. A single date is the slice that begins there.
Exit: 0 good, 1 the run failed, did not balance or is not as it was left, 2 wrong use, 3 the plan has a stop.
`

async function main(): Promise<number> {
  writeOnAtAllCosts()
  const [command, ...rest] = argv.slice(2)
  if (rest.includes('--help') || rest.includes('-h')) return help()
  switch (command) {
    case 'start':
      return await (await import('./start')).start(rest)
    case 'stop':
      return await (await import('./start')).stop(rest)
    case 'serve':
      return await (await import('./serve')).serve()
    case 'planner':
      return await (await import('./planner')).planner()
    case 'apart':
      return await (await import('./apart')).apart()
    case 'worker':
      return await (await import('./worker')).worker(rest)
    case 'put':
      return await (await import('./put')).put(rest)
    case 'get':
      return await (await import('./get')).get(rest)
    case 'arrivals':
      return await (await import('./arrivals')).arrivals(rest)
    case 'starts':
      return await (await import('./starts')).starts(rest)
    case 'survey':
      return await (await import('./survey')).survey(rest)
    case 'plan':
    case 'run':
    case 'rerun':
    case 'runs':
    case 'show':
    case 'proof':
    case 'verify':
      return await (await import('./work')).work(command, rest)
    case 'help':
    case '--help':
    case '-h':
      return help()
    case '--version':
    case 'version':
      return version()
    default:
      throw new UsageError(
        command ? `there is no command "${command}"${didYouMean(command, commands)}` : 'which command?',
      )
  }
}

/** The commands that the usage lists. */
const commands = [...usage.matchAll(/^ {2}\.\/mattock (\w+)/gm)].map(([, name]) => name!)

function version(): number {
  process.stdout.write(`${versionOf()}\n`)
  return 0
}

function help(): number {
  process.stdout.write(usage)
  return 0
}

main().then(
  (code) => {
    process.exitCode = code
  },
  (error: Error & { code?: string }) => {
    const wrongUse = error instanceof UsageError || String(error.code ?? '').startsWith('ERR_PARSE_ARGS')
    process.stderr.write(`mattock: ${error.message}\n${wrongUse ? `\n${usage}` : ''}`)
    exit(wrongUse ? 2 : 1)
  },
)
