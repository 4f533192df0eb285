// Runs benchmarks: node bench/run.mjs plan | transfer | survey | files | catalog | starts (several at once may be named)
import { build } from 'esbuild'
import { spawnSync } from 'node:child_process'

const names = process.argv.length > 2 ? process.argv.slice(2) : ['plan', 'transfer']
for (const name of names) {
  const outfile = `dist/bench-${name}.mjs`
  await build({
    entryPoints: [`bench/${name}.ts`],
    outfile,
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    packages: 'external',
    logLevel: 'error',
  })
  const { status } = spawnSync(process.execPath, ['--max-old-space-size=4096', outfile], {
    stdio: 'inherit',
    env: { ...process.env, UV_THREADPOOL_SIZE: '64' },
  })
  if (status !== 0) process.exit(status ?? 1)
}
