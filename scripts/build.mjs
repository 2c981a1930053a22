// Builds what changed since the last build: server and demo bundles by esbuild, the interface by Vite.
// `node scripts/build.mjs [--force] [--quiet]`
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)))
const force = process.argv.includes('--force')
const quiet = process.argv.includes('--quiet')

function sources(folder, out = []) {
  for (const entry of readdirSync(path.join(root, folder), { withFileTypes: true })) {
    const name = path.join(folder, entry.name)
    if (entry.isDirectory()) {
      if (!['node_modules', 'dist', 'test-results'].includes(entry.name)) sources(name, out)
    } else if (!/\.(test|spec)\.tsx?$/.test(entry.name)) out.push(name)
  }
  return out
}

function stamp(folders) {
  const hash = createHash('sha256')
  for (const file of [...folders.flatMap((f) => sources(f)), 'package-lock.json', 'scripts/build.mjs'].sort()) {
    const full = path.join(root, file)
    if (statSync(full).size > 5_000_000) hash.update(`${file}:${statSync(full).size}`)
    else hash.update(file).update(readFileSync(full))
  }
  return hash.digest('hex')
}

async function when(name, folders, output, build) {
  const now = stamp(folders)
  const file = path.join(root, '.build', name)
  if (!force && existsSync(path.join(root, output)) && existsSync(file) && readFileSync(file, 'utf8') === now) return
  const began = Date.now()
  await build()
  mkdirSync(path.dirname(file), { recursive: true })
  writeFileSync(file, now)
  if (!quiet) console.log(`built ${name} in ${((Date.now() - began) / 1000).toFixed(1)} s`)
}

async function bundle(entries, outdir) {
  const { build } = await import('esbuild')
  // Workspaces are TypeScript sources and go into the bundle; packages of the registry stay where npm put them.
  const external = [
    ...new Set(
      ['core', 'api', 'server', 'demo'].flatMap((w) => Object.keys(JSON.parse(readFileSync(path.join(root, w, 'package.json'), 'utf8')).dependencies ?? {})),
    ),
  ].filter((d) => !d.startsWith('@pendolo/'))
  await build({
    absWorkingDir: root,
    entryPoints: entries,
    outdir,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: true,
    external: external.flatMap((e) => [e, `${e}/*`]),
    logLevel: 'warning',
  })
}

await when('server', ['core', 'api', 'server'], 'server/dist/cli.mjs', () => bundle({ cli: 'server/cli/main.ts', worker: 'server/worker.ts' }, 'server/dist'))
await when('demo', ['core', 'demo'], 'demo/dist/make.mjs', () => bundle({ make: 'demo/make.ts', artist: 'demo/artist.ts' }, 'demo/dist'))
if (!process.argv.includes('--no-web')) {
  await when('web', ['core', 'api', 'web'], 'web/dist/index.html', async () => {
    const { build } = await import('vite')
    await build({ root: path.join(root, 'web'), logLevel: 'warn' })
  })
}
