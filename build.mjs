// Builds the command, server and workers into dist/, and the pages into dist/web.
import { build } from 'esbuild'
import { build as buildPages } from 'vite'

// a build for tests, in which faults can be laid at the points of engine/context/points.ts; never what is used
const faults = process.argv.includes('--faults')

const node = build({
  entryPoints: ['cli/main.ts'],
  outdir: faults ? 'dist-faults' : 'dist',
  define: { MATTOCK_FAULTS: String(faults) },
  bundle: true,
  splitting: true,
  platform: 'node',
  target: 'node20',
  format: 'esm',
  packages: 'external',
  sourcemap: true,
  chunkNames: '[name]-[hash]',
  logLevel: 'error',
})
await Promise.all([
  node,
  faults || process.argv.includes('--node')
    ? undefined
    : buildPages({ configFile: 'vite.config.ts', logLevel: 'error' }),
])
