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
  ignores: ['**/*.test.{ts,tsx}'],
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

const kinds =
  'transfer|check|postgres|csv|json|ndjson|xlsx|parquet|append|replace-all|replace-slice|upsert|not_null'
const askRegistry = 'ask the registry of its kind, so that a new kind is one definition (docs/extending.md)'

/** What varies by kind stands in its registry; nobody else compares with the name of a kind. */
const kindsInRegistries = {
  files: ['{core,engine,server,web,cli}/**/*.{ts,tsx}'],
  ignores: [
    '**/*.test.{ts,tsx}',
    '**/{steps,sources,targets,checks,writes,rosters,connectors,formats,modes}/**',
    // JSON and CSV as the form of an answer, not as formats of files
    'server/handlers/documents.ts',
  ],
  rules: {
    'no-restricted-syntax': [
      'error',
      {
        selector: `BinaryExpression[operator=/^[!=]==$/] > Literal[value=/^(${kinds})$/]`,
        message: askRegistry,
      },
      { selector: `SwitchCase > Literal[value=/^(${kinds})$/]`, message: askRegistry },
      {
        selector:
          'JSXOpeningElement > JSXIdentifier[name=/^(table|thead|tbody|tr|td|th|select|textarea|dialog|button)$/]',
        message: 'tables, fields and dialogs are made of the parts in web/kit and of MUI',
      },
    ],
  },
}

export default tseslint.config(
  { ignores: ['node_modules', 'dist', 'dist-faults', '.mattock', 'database/migrations', 'eslint.config.js'] },
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
  kindsInRegistries,
)
