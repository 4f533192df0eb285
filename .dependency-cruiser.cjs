// What each room may reach (docs/how-it-works.md, Rooms), types included. Run by ./mattock test.
const rooms = ['core', 'contract', 'database', 'engine', 'server', 'web', 'cli', 'demo', 'bench', 'tests']
/** @type {Record<string, string[]>} */
const reaches = {
  core: ['core'],
  contract: ['contract', 'core'],
  database: ['database', 'core'],
  engine: ['engine', 'database', 'core'],
  server: ['server', 'engine', 'database', 'contract', 'core'],
  web: ['web', 'contract', 'core'],
  cli: ['cli', 'server', 'engine', 'database', 'contract', 'core', 'demo'],
  demo: ['demo', 'engine', 'database', 'contract', 'core'],
}

module.exports = {
  forbidden: [
    {
      name: 'no-circles',
      comment: 'a circle of files, types included: put what both need into a file of its own',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
    {
      name: 'no-unresolvable',
      severity: 'error',
      from: {},
      to: { couldNotResolve: true },
    },
    ...Object.entries(reaches).map(([room, allowed]) => ({
      name: `${room}-reaches`,
      comment: `${room}/ may reach ${allowed.join(', ')} only`,
      severity: 'error',
      from: { path: `^${room}/`, pathNot: '\\.(test|fixture)\\.tsx?$' },
      to: { path: `^(${rooms.filter((other) => !allowed.includes(other)).join('|')})/` },
    })),
    {
      name: 'core-is-pure',
      comment: 'core/ is values in, values out: no Node, no React, no database',
      severity: 'error',
      from: { path: '^core/', pathNot: '\\.test\\.ts$' },
      to: {
        dependencyTypes: ['core'],
      },
    },
    {
      name: 'core-takes-pure-libraries',
      severity: 'error',
      from: { path: '^core/', pathNot: '\\.test\\.ts$' },
      to: {
        path: 'node_modules/',
        pathNot: 'node_modules/(zod|yaml|temporal-polyfill|re2js|@bufbuild|croner|cronstrue)/',
      },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'require', 'node', 'default', 'types'],
    },
    exclude: { path: '\\.css$' },
  },
}
