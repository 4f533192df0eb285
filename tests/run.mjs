// Runs every check and test, and closes with a line "N passed, N failed". `--quick` runs the tests that need neither a
// database nor a browser, and nothing else; `--faults N` draws N faults and looks whether anything is lost; other arguments go to the test runner, and then only tests run.
import { spawn } from 'node:child_process'
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

const given = process.argv.slice(2)
const quick = given.includes('--quick')
const others = given.filter((argument) => argument !== '--quick')
const folder = mkdtempSync(join(tmpdir(), 'mattock-results-'))
let passed = 0
let failed = 0

const ofProject = (name) => `--project=${name}`
const bin = (name) => join('node_modules', '.bin', name)
/** Runs a program, and prints what it says when it has ended, so that two at once do not mix. */
const run = (name, command, args, env = {}) =>
  new Promise((resolve) => {
    const began = performance.now()
    const child = spawn(command, args, { env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'pipe'] })
    const said = []
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (piece) => said.push(piece))
    child.on('close', (status) => {
      process.stdout.write(Buffer.concat(said))
      const seconds = ((performance.now() - began) / 1000).toFixed(0)
      console.log(`${status === 0 ? 'passed' : 'FAILED'}: ${name} (${seconds} s)`)
      resolve(status === 0)
    })
  })
const check = async (name, command, args) => ((await run(name, bin(command), args)) ? passed++ : failed++)

/** Runs tests and counts them one by one. */
async function tests(name, args, env) {
  const results = join(folder, `${name.replace(/\W/g, '-')}.json`)
  const good = await run(
    name,
    bin('vitest'),
    ['run', '--reporter=default', '--reporter=json', `--outputFile.json=${results}`, ...args],
    env,
  )
  try {
    const { numPassedTests, numFailedTests, numTotalTestSuites } = JSON.parse(readFileSync(results, 'utf8'))
    passed += numPassedTests
    failed += numFailedTests
    // a file that cannot even be loaded counts no test, but is a failure all the same
    if (!good && numFailedTests === 0) failed++
    if (numTotalTestSuites === 0) failed++
  } catch {
    failed++
  }
}

/** Of those that need a database, the tests where a time is read, planned, written or compared. */
const timely = [
  'tests/planning',
  'tests/transfers',
  'tests/csv',
  'tests/exactness',
  'tests/workbook',
  'server/handlers/plans',
  'server/handlers/watch',
  'engine/writing',
  'engine/keeping',
]

const rooms = ['core', 'contract', 'database', 'engine', 'server', 'web', 'cli', 'demo', 'bench', 'tests']
/** The tests that write a day or a time of day, or make them up. */
const dated = () =>
  rooms
    .flatMap((room) => readdirSync(room, { recursive: true }).map((file) => join(room, file)))
    .filter((file) => /\.test\.tsx?$/.test(file))
    .filter((file) => /\d{4}-\d\d-\d\d|\d\d:\d\d|Temporal|fc\.date/.test(readFileSync(file, 'utf8')))

const checks = [
  ['formatting', 'prettier', ['--check', '--cache', '--log-level', 'warn', '.']],
  ['types', 'tsc', ['--noEmit']],
  ['lint', 'eslint', ['.', '--max-warnings', '0']],
  ['rooms and circles', 'depcruise', ['--config', '.dependency-cruiser.cjs', ...rooms]],
  ['dead code and dependencies', 'knip', []],
]
const inOrder = async (work) => {
  for (const one of work) await check(...one)
}

const at = others.indexOf('--faults')
if (at >= 0) await tests('faults', ['tests/chance.test.ts'], { MATTOCK_FAULTS: others[at + 1] })
else if (others.length > 0) await tests('tests', others)
else {
  // beside the tests, of which many wait for servers that end and begin
  const checked = quick ? undefined : inOrder(checks)
  await tests('tests', ['core', 'units', ...(quick ? ['web'] : ['store', 'walk'])].map(ofProject))
  await checked
  // the pages, and once more what has to do with time, where the clock stands half an hour apart from everybody’s: what
  // people see is in their zone, seldom in that of a server
  if (!quick) {
    const elsewhere = { TZ: 'America/St_Johns' }
    await tests('pages in another time zone', [ofProject('web')], elsewhere)
    await tests('tests in another time zone', [...['core', 'units'].map(ofProject), ...dated()], elsewhere)
    await tests('times in another time zone', ['--project=store', ...timely], elsewhere)
  }
}
rmSync(folder, { recursive: true, force: true })
console.log(`${passed} passed, ${failed} failed`)
process.exit(failed > 0 ? 1 : 0)
