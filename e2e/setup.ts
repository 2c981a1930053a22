import { mkdtempSync, rmSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'

/** One folder for all that the tests of this run write; it is taken away when they have ended. */
export default function setup(): () => void {
  const folder = mkdtempSync(path.join(os.tmpdir(), 'pendolo-e2e-'))
  process.env.PENDOLO_E2E = folder
  return () => rmSync(folder, { recursive: true, force: true })
}
