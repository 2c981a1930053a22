// Builds what is measured, bundles bench/main.ts and runs it: `npm run bench`.
import { spawnSync } from 'node:child_process'
import path from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'esbuild'

const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)))
// The command line is measured as it is used.
const built = spawnSync(process.execPath, ['scripts/build.mjs', '--quiet'], { cwd: root, stdio: 'inherit' })
if (built.status !== 0) process.exit(built.status ?? 1)
const outfile = path.join(root, '.build', 'bench.mjs')
await build({
  absWorkingDir: root,
  entryPoints: ['bench/main.ts'],
  outfile,
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  external: ['@playwright/test', 'midi-file', 'onnxruntime-node', '@libsql/client'],
  logLevel: 'warning',
})
process.exit(spawnSync(process.execPath, [outfile, ...process.argv.slice(2)], { cwd: root, stdio: 'inherit' }).status ?? 1)
