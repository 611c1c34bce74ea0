/** Arrows point one way: core points at nothing, the app reaches the server by HTTP only. */
const only = (from, to) => ({
  name: `${from}-points-only-at-${to.join('-and-') || 'nothing'}`,
  severity: 'error',
  from: { path: `^${from}/`, pathNot: '\\.test\\.ts$' },
  to: {
    path: '^(core|app|server|shared|gateway|standins|demo|cli|tests|scripts|bench)/',
    pathNot: `^(${[from, ...to].join('|')})/`,
  },
})

module.exports = {
  forbidden: [
    only('core', []),
    only('shared', ['core']),
    only('app', ['core', 'shared']),
    only('server', ['core', 'shared']),
    only('gateway', ['core']),
    only('standins', []),
    only('demo', ['core', 'server', 'shared', 'standins']),
    only('cli', ['core', 'shared']),
    {
      name: 'app-takes-classes-of-the-api-as-types-only',
      severity: 'error',
      from: { path: '^app/' },
      to: { path: '^shared/api/', dependencyTypesNot: ['type-only'] },
    },
    {
      name: 'core-needs-no-node',
      severity: 'error',
      from: { path: '^core/', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'core-shows-nothing',
      severity: 'error',
      from: { path: '^core/' },
      to: { path: 'node_modules/(vue|nuxt|primevue|drizzle-orm|pg|h3)/' },
    },
    {
      name: 'packages-are-declared',
      severity: 'error',
      from: {},
      to: { dependencyTypes: ['npm-no-pkg', 'npm-unknown'] },
    },
    {
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.processes.json' },
    enhancedResolveOptions: { extensions: ['.ts', '.vue', '.mjs', '.js'] },
  },
}
