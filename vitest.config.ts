import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    include: [
      'core/**/*.test.ts',
      'contract/**/*.test.ts',
      'web/**/*.test.tsx',
      'engine/**/*.test.ts',
      'server/**/*.test.ts',
      'demo/**/*.test.ts',
      'tests/**/*.test.ts',
    ],
    globalSetup: ['tests/support/cluster.ts'],
    testTimeout: 60_000,
    hookTimeout: 120_000,
    pool: 'forks',
    maxWorkers: 2,
  },
})
