// Type check of every workspace by its own settings: core sees neither DOM nor Node.
import { spawnSync } from 'node:child_process'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)))
let failed = false
for (const workspace of ['core', 'api', 'server', 'demo', 'web', 'e2e', '.']) {
  // What was found last time is kept in .build, so that a second run looks at changed files only.
  const kept = path.join(root, '.build', `types-${workspace === '.' ? 'root' : workspace}.tsbuildinfo`)
  const { status } = spawnSync(
    process.execPath,
    [path.join(root, 'node_modules', 'typescript', 'bin', 'tsc'), '-p', workspace, '--incremental', '--tsBuildInfoFile', kept],
    { cwd: root, stdio: 'inherit' },
  )
  if (status !== 0) failed = true
}
process.exit(failed ? 1 : 0)
