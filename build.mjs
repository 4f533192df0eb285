// Builds the command, server and workers into dist/, and the pages into dist/web.
import { build } from 'esbuild'
import { build as buildPages } from 'vite'

const node = build({
  entryPoints: ['cli/main.ts'],
  outdir: 'dist',
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
  process.argv.includes('--node')
    ? undefined
    : buildPages({ configFile: 'vite.config.ts', logLevel: 'error' }),
])
