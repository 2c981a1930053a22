// Everything that must hold: types, lint, import rules, dead exports, house rules, unit tests, the real interface.
// `node scripts/test.mjs [--quick] [--all]` (quick leaves the interface out). Ends with one line: N passed, N failed.
// Where all has passed on the very same files with the very same tools, it is not run again unless --all asks for it.
import { execFileSync, spawn } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, lstatSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)))
const quick = process.argv.includes('--quick')
const bin = (name) => path.join(root, 'node_modules', '.bin', name)
const jestReport = path.join(os.tmpdir(), `pendolo-jest-${process.pid}.json`)
const playwrightReport = path.join(os.tmpdir(), `pendolo-playwright-${process.pid}.json`)

function run(name, command, args, env = {}) {
  const began = Date.now()
  console.log(`\n== ${name}`)
  return new Promise((resolve) => {
    const child = spawn(command, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } })
    child.on('close', (code) => {
      console.log(`== ${name}: ${code === 0 ? 'passed' : 'FAILED'} in ${((Date.now() - began) / 1000).toFixed(0)} s`)
      resolve(code === 0)
    })
  })
}

/** Every file that is not ignored, and every tool the tests lean on, as one number; null where there is no git. */
function fingerprint() {
  try {
    const said = (command, ...args) => execFileSync(command, args, { cwd: root, maxBuffer: 1 << 26 }).toString()
    const hash = createHash('sha256')
    for (const file of said('git', 'ls-files', '-z', '--cached', '--others', '--exclude-standard').split('\0').filter(Boolean).sort()) {
      const full = path.join(root, file)
      if (existsSync(full) && lstatSync(full).isFile()) hash.update(file).update('\0').update(readFileSync(full))
    }
    for (const tool of [process.execPath, 'ffmpeg', '/usr/bin/chromium']) hash.update(said(tool, tool === 'ffmpeg' ? '-version' : '--version'))
    return hash.digest('hex')
  } catch {
    return null
  }
}

const keptFile = path.join(root, '.build', 'passed.json')
const before = quick ? null : fingerprint()
if (before && !process.argv.includes('--all') && existsSync(keptFile)) {
  const kept = JSON.parse(readFileSync(keptFile, 'utf8'))
  if (kept.files === before) {
    console.log(`Nothing has changed since all of this passed at ${kept.at}, so it is not run again; ./pendolo test --all runs it.`)
    console.log(`\n${kept.passed} passed, 0 failed`)
    process.exit(0)
  }
}

let passed = 0
let failed = 0
/** What failed, named at the end once more: the end of a log is what is read of it. */
const named = []
function count(ok, name) {
  if (ok) passed++
  else {
    failed++
    named.push(name)
  }
}

/** Counts the tests in a report of `name`; a run that failed without a report or a failed test counts as one failure. */
function countReport(ok, name, file, read) {
  let broken = 0
  try {
    const report = read(JSON.parse(readFileSync(file, 'utf8')))
    passed += report.passed
    broken = report.failed
    named.push(...report.named)
  } catch {
    console.log(`${name} left no report`)
  }
  failed += broken > 0 || ok ? broken : 1
  if (!ok && broken === 0) named.push(name)
}

/** Lines of a page that are told where a test failed. */
const MOST_SAID = 60

/** The tests of a Playwright suite that did not pass at once. */
function unsteady(suite) {
  const here = (suite.specs ?? []).filter(({ tests }) => tests.some(({ status }) => status === 'unexpected' || status === 'flaky'))
  return [...here.map(({ file, title }) => `e2e/${file}: ${title}`), ...(suite.suites ?? []).flatMap(unsteady)]
}

/** What stood on the page when a test of the interface failed: its texts, what was told, the cuts; a log is all that is left of another machine. */
function tellPages() {
  const results = path.join(root, 'test-results')
  if (!existsSync(results)) return
  for (const test of readdirSync(results)) {
    const file = path.join(results, test, 'error-context.md')
    if (!existsSync(file)) continue
    const [, page = ''] = readFileSync(file, 'utf8').split('```yaml\n')
    const said = page
      .split('```')[0]
      .split('\n')
      .filter((line) => /text: |alert|status|dialog|toolbar|\[active\]|\[pressed\]|cut to/.test(line))
    console.log(`on the page of ${test}:\n${said.slice(0, MOST_SAID).join('\n')}`)
  }
}

/** The tests of a Jest report that failed, and the files that could not be run. */
function fallen({ name, status, assertionResults, message }) {
  const here = assertionResults.filter((one) => one.status === 'failed')
  const file = path.relative(root, name)
  if (here.length === 0 && status === 'failed') return [`${file}: ${message.split('\n')[0]}`]
  return here.map((one) => `${file}: ${one.fullName}`)
}

count(await run('build', process.execPath, ['scripts/build.mjs']), 'build')

// What only reads the sources keeps one core busy at first; then the unit tests have both.
async function readSources() {
  count(await run('types', process.execPath, ['scripts/types.mjs']), 'types')
  count(await run('lint', bin('biome'), ['check', '--error-on-warnings', '.']), 'lint')
  count(await run('import rules', bin('depcruise'), ['--config', '.dependency-cruiser.cjs', 'core', 'api', 'server', 'web', 'demo']), 'import rules')
  count(await run('dead exports', bin('knip'), []), 'dead exports')
  count(await run('house rules', process.execPath, ['scripts/house.mjs']), 'house rules')
}
const [jestOk] = await Promise.all([run('unit tests', bin('jest'), ['--silent', '--maxWorkers=2', '--json', `--outputFile=${jestReport}`]), readSources()])
countReport(jestOk, 'Jest', jestReport, (r) => ({
  passed: r.numPassedTests,
  failed: r.numFailedTests + r.numRuntimeErrorTestSuites,
  named: r.testResults.flatMap(fallen),
}))

if (!quick) {
  for (const [project, workers] of [
    ['unmeasured', 2],
    ['measured', 1],
  ]) {
    const ok = await run(`the interface, ${project}`, bin('playwright'), ['test', '--reporter=list,json', '--project', project, '--workers', String(workers)], {
      PLAYWRIGHT_JSON_OUTPUT_NAME: playwrightReport,
    })
    countReport(ok, 'Playwright', playwrightReport, ({ stats, suites }) => ({
      passed: stats.expected,
      failed: stats.unexpected + stats.flaky,
      named: suites.flatMap(unsteady),
    }))
    rmSync(playwrightReport, { force: true })
    if (!ok) tellPages()
  }
}
rmSync(jestReport, { force: true })
// Only what passed on files that stayed as they were meanwhile is remembered.
if (failed === 0 && before && before === fingerprint()) {
  mkdirSync(path.dirname(keptFile), { recursive: true })
  writeFileSync(keptFile, JSON.stringify({ files: before, passed, at: new Date().toISOString() }))
}
for (const name of named) console.log(`failed: ${name}`)
console.log(`\n${passed} passed, ${failed} failed`)
process.exit(failed === 0 ? 0 : 1)
