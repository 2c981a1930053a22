// Compiles what is done to each sample of many channels (core/signal/assembly) to a JSON file, so that it begins at once and
// alike in browser, audio worklet, server and tests: `node scripts/embed-lanes.mjs` after it has changed.
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)))
const folder = mkdtempSync(path.join(os.tmpdir(), 'pendolo-lanes-'))
const source = path.join('core', 'signal', 'assembly', 'lanes.ts')
const compiler = path.join('node_modules', 'assemblyscript', 'bin', 'asc.js')
try {
  const file = path.join(folder, 'lanes.wasm')
  const settings = ['-O3', '--runtime', 'stub', '--enable', 'simd', '--noAssert', '--outFile', file]
  const { status } = spawnSync(process.execPath, [compiler, source, ...settings], { cwd: root, stdio: 'inherit' })
  if (status !== 0) throw new Error(`the compiler ended with ${status}`)
  // A test says where the module is compiled anew, to compare it with the one that is kept.
  const out = process.argv[2] ?? path.join(root, 'core', 'signal', 'lanes.json')
  const told = { about: `${source}, compiled by assemblyscript`, wasm: readFileSync(file).toString('base64') }
  writeFileSync(out, `${JSON.stringify(told, null, 2)}\n`)
} finally {
  rmSync(folder, { recursive: true, force: true })
}
