import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, symlinkSync } from 'node:fs'
import path from 'node:path'
import { scratch, TestServer } from './server.ts'

const root = path.dirname(import.meta.dirname)
/** The show's files and their light copies are kept between runs: making them takes two minutes. */
const kept = path.join(root, '.cache', 'demo')

/** A server with the demo as it begins: the project is a new one each time, so that every run begins alike. */
export async function startDemo(): Promise<{ server: TestServer; home: string }> {
  mkdirSync(path.join(kept, 'artefacts'), { recursive: true })
  if (!existsSync(path.join(kept, 'depot-night', 'truth.json')))
    execFileSync(process.execPath, [path.join(root, 'server', 'dist', 'cli.mjs'), 'demo', '--make-only', path.join(kept, 'depot-night')], { stdio: 'inherit' })
  const home = scratch('demo')
  for (const part of ['depot-night', 'artefacts']) symlinkSync(path.join(kept, part), path.join(home, part))
  const server = new TestServer('', ['demo'], home)
  await server.start()
  await server.idle()
  return { server, home }
}
