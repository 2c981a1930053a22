/** Arrows of import point down: web, server and demo to api and core; core to nothing of ours. */
const only = (from, forbidden, comment) => ({
  name: `${from}-looks-down`,
  severity: 'error',
  comment,
  from: { path: `^${from}/` },
  to: { path: `^(${forbidden.join('|')})/` },
})

module.exports = {
  forbidden: [
    {
      name: 'no-cycles',
      severity: 'error',
      comment: 'A back reference is an `import type`.',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
    only('core', ['api', 'server', 'web', 'demo', 'e2e'], 'core is all computation and imports nothing of ours'),
    only('api', ['server', 'web', 'demo', 'e2e'], 'the contract knows neither side'),
    only('server', ['web', 'demo', 'e2e'], 'the server knows no interface'),
    only('web', ['server', 'demo', 'e2e'], 'the interface talks to the server through the contract'),
    only('demo', ['server', 'web', 'api', 'e2e'], 'the demo makes files and needs only computation'),
    {
      name: 'core-has-no-io',
      severity: 'error',
      comment: 'Clock, files and network are parameters.',
      from: { path: '^core/', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'public-faces',
      severity: 'error',
      comment: 'Subjects of core meet at their index.ts.',
      from: { path: '^core/([^/]+)/' },
      to: { path: '^core/([^/]+)/(?!index\\.ts)', pathNot: '^core/$1/' },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)dist/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'types', 'default'], extensions: ['.ts', '.tsx', '.js', '.mjs'] },
  },
}
