import { defineConfig } from 'vitest/config'

/** Of tests/, those that need neither a database nor a browser. */
const light = ['kinds', 'references', 'tidy', 'workbook'].map((name) => `tests/${name}.test.ts`)
const walks = 'tests/walk*.test.ts'

const common = {
  // what hangs never ends, however long it is waited for; all else must pass where the machine is busy
  testTimeout: 240_000,
  hookTimeout: 240_000,
  expect: { poll: { timeout: 60_000 } },
  pool: 'forks' as const,
  setupFiles: ['tests/support/seed.ts'],
  // the services that tests ask are on this machine
  env: { MATTOCK_ALLOW_ADDRESSES: '127.0.0.0/8,::1/128' },
}

export default defineConfig({
  test: {
    // one more than the smallest machine has cores: tests that end servers and begin them again mostly wait
    maxWorkers: 3,
    projects: [
      // pure, or set up anew in each test: files of one process share what they import
      {
        test: {
          ...common,
          name: 'core',
          include: ['{core,contract}/**/*.test.ts'],
          isolate: false,
        },
      },
      {
        test: {
          ...common,
          name: 'web',
          environment: 'jsdom',
          setupFiles: [...common.setupFiles, 'web/testing/setup.ts'],
          include: ['web/**/*.test.{ts,tsx}'],
          isolate: false,
        },
      },
      {
        test: {
          ...common,
          name: 'units',
          include: ['{database,engine,server,cli,demo}/**/*.test.ts', ...light],
          exclude: ['**/*.db.test.ts'],
        },
      },
      {
        test: {
          ...common,
          name: 'store',
          include: ['{engine,server,cli,demo,database}/**/*.db.test.ts', 'tests/*.test.ts'],
          exclude: ['node_modules', ...light, walks],
          // each file has databases and a folder of its own; what they import is read once for all in a process
          isolate: false,
          globalSetup: ['tests/support/cluster.ts'],
        },
      },
      { test: { ...common, name: 'walk', include: [walks], globalSetup: ['tests/support/cluster.ts'] } },
    ],
  },
})
