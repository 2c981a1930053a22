/** Arrows of import point down: web, server and demo to api and core; core to nothing of ours. */
const only = (from, forbidden, comment) => ({
  name: `${from}-looks-down`,
  severity: 'error',
  comment,
  from: { path: `^${from}/` },
  to: { path: `^(${forbidden.join('|')})/` },
})

/** Within a workspace a folder knows only some of its neighbours; files at the top are everybody's. */
const within = (workspace, folder, allowed, comment) => ({
  name: `${workspace}-${folder}-knows`,
  severity: 'error',
  comment,
  from: { path: `^${workspace}/${folder}/`, pathNot: '\\.(test|contract)\\.tsx?$' },
  to: { path: `^${workspace}/[^/]+/`, pathNot: `^${workspace}/(${allowed.join('|')})[/.]` },
})

module.exports = {
  forbidden: [
    { name: 'no-cycles', severity: 'error', comment: 'Not of types either.', from: {}, to: { circular: true } },
    only('core', ['api', 'server', 'web', 'demo', 'e2e'], 'core is all computation and imports nothing of ours'),
    only('api', ['server', 'web', 'demo', 'e2e'], 'the contract knows neither side'),
    only('server', ['web', 'demo', 'e2e'], 'the server knows no interface'),
    only('web', ['server', 'demo', 'e2e'], 'the interface talks to the server through the contract'),
    only('demo', ['server', 'web', 'api', 'e2e'], 'the demo makes files and needs only computation'),
    within('web', 'ui', ['ui'], 'parts of the interface know nothing of projects'),
    within('web', 'data', ['data'], 'what is known of the server knows no views'),
    within('web', 'playback', ['playback', 'data'], 'the engine knows no stages'),
    within('web', 'score', ['score', 'playback', 'data', 'ui'], 'the time surface serves stages and knows none'),
    within('web', 'marks', ['marks', 'playback', 'data', 'ui'], 'the list of marks lies over any stage'),
    ...['gather', 'lineup', 'pulse', 'switch', 'balance', 'handover', 'home'].map((stage) =>
      within('web', stage, [stage, 'marks', 'score', 'playback', 'data', 'ui'], 'stages meet in what they share, not in each other'),
    ),
    within('server', 'media', ['media'], 'files and ffmpeg know no projects'),
    within('server', 'db', ['db', 'media', 'ports'], 'the database knows no projects'),
    within('server', 'ports', ['ports'], 'what queue, bus and store must do knows none of them'),
    within('server', 'lineup', ['lineup', 'media'], 'placing knows recordings, not projects'),
    within('server', 'film', ['film', 'media'], 'films are made of what they are given'),
    within('server', 'project', ['project', 'db', 'media', 'ports', 'jobs/wanted'], 'projects know no requests'),
    within('server', 'jobs', ['jobs', 'ports', 'project', 'lineup', 'film', 'media', 'db'], 'work knows no requests'),
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
