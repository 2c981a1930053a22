// Writes the Fourier transform of the package @echogarden/pffft-wasm as a JSON file, so that it begins at once and alike in
// browser, server and tests: `node scripts/embed-pffft.mjs` after that package has changed.
import { readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)))
const from = (name) => path.join(root, 'node_modules', '@echogarden', 'pffft-wasm', name)
const { version } = JSON.parse(readFileSync(from('package.json'), 'utf8'))
const told = {
  about: `@echogarden/pffft-wasm ${version}, dist/simd/pffft.wasm`,
  license: readFileSync(from('COPYING'), 'utf8'),
  wasm: readFileSync(from('dist/simd/pffft.wasm')).toString('base64'),
}
writeFileSync(path.join(root, 'core', 'signal', 'pffft.json'), `${JSON.stringify(told, null, 2)}\n`)
