import tseslint from 'typescript-eslint'
import hooks from 'eslint-plugin-react-hooks'

/** What each room may not import: the arrows of docs/how-it-works.md, held by the linter. */
const forbidden = {
  core: ['contract', 'database', 'engine', 'server', 'web', 'cli', 'demo', 'tests', 'bench'],
  contract: ['database', 'engine', 'server', 'web', 'cli', 'demo', 'tests', 'bench'],
  web: ['database', 'engine', 'server', 'cli', 'demo', 'tests', 'bench'],
  database: ['contract', 'engine', 'server', 'web', 'cli', 'demo', 'tests', 'bench'],
  engine: ['contract', 'server', 'web', 'cli', 'demo', 'tests', 'bench'],
  server: ['web', 'cli', 'demo', 'tests', 'bench'],
  cli: ['web', 'tests', 'bench'],
  demo: ['server', 'web', 'cli', 'tests', 'bench'],
}

const rooms = Object.entries(forbidden).map(([room, others]) => ({
  files: [`${room}/**/*.{ts,tsx}`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          {
            group: others.map((other) => `**/../${other}/**`),
            message: `${room}/ must not reach that way (docs/how-it-works.md, Rooms)`,
          },
        ],
      },
    ],
  },
}))

const pureCore = {
  files: ['core/**/*.ts'],
  ignores: ['core/**/*.test.ts'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          {
            group: [
              ...forbidden.core.map((other) => `**/../${other}/**`),
              'node:*',
              'react',
              'react-*',
              'express',
              'pg',
              'pg-*',
              'drizzle-orm*',
            ],
            message: 'core/ is pure: values in, values out',
          },
        ],
      },
    ],
    'no-restricted-globals': ['error', 'process', 'setTimeout', 'setInterval', 'fetch', 'window', 'document'],
    'no-restricted-properties': [
      'error',
      { object: 'Date', property: 'now', message: 'core/ has no clock: pass the time in' },
    ],
  },
}

export default tseslint.config(
  { ignores: ['node_modules', 'dist', '.mattock', 'database/migrations', 'eslint.config.js'] },
  ...tseslint.configs.recommended,
  {
    files: ['**/*.{ts,tsx}'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': [
        'error',
        { considerDefaultExhaustiveForUnions: true, requireDefaultForNonUnion: false },
      ],
    },
  },
  {
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': 'error',
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'prefer-const': 'error',
    },
  },
  {
    files: ['web/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: {
      'react-hooks/rules-of-hooks': 'error',
      'react-hooks/exhaustive-deps': 'error',
    },
  },
  ...rooms.filter((room) => !room.files[0].startsWith('core/')),
  pureCore,
)
