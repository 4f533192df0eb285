// Runs every check and test, and closes with a line "N passed, N failed". Arguments go to the test runner.
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

const folder = mkdtempSync(join(tmpdir(), 'mattock-results-'))
const results = join(folder, 'results.json')
let passed = 0
let failed = 0

const bin = (name) => join('node_modules', '.bin', name)
const run = (name, command, args) => {
  const { status } = spawnSync(command, args, { stdio: 'inherit' })
  console.log(`${status === 0 ? 'passed' : 'FAILED'}: ${name}`)
  return status === 0
}
const count = (good) => (good ? passed++ : failed++)

if (process.argv.length === 2) {
  count(run('formatting', bin('prettier'), ['--check', '--log-level', 'warn', '.']))
  count(run('types', bin('tsc'), ['--noEmit']))
  count(run('lint', bin('eslint'), ['.', '--max-warnings', '0']))
  count(
    run('rooms and circles', bin('depcruise'), [
      '--config',
      '.dependency-cruiser.cjs',
      'core',
      'contract',
      'database',
      'engine',
      'server',
      'web',
      'cli',
      'demo',
      'bench',
      'tests',
    ]),
  )
  count(run('dead code and dependencies', bin('knip'), []))
}
const tests = run('tests', bin('vitest'), [
  'run',
  '--reporter=default',
  '--reporter=json',
  `--outputFile.json=${results}`,
  ...process.argv.slice(2),
])
try {
  const { numPassedTests, numFailedTests, numTotalTestSuites } = JSON.parse(readFileSync(results, 'utf8'))
  passed += numPassedTests
  failed += numFailedTests
  // a file that cannot even be loaded counts no test, but is a failure all the same
  if (!tests && numFailedTests === 0) failed++
  if (numTotalTestSuites === 0) failed++
} catch {
  failed++
}
rmSync(folder, { recursive: true, force: true })
console.log(`${passed} passed, ${failed} failed`)
process.exit(failed > 0 ? 1 : 0)
