import { statSync } from 'node:fs'
import path from 'node:path'
import type { JobResult, ProjectSummary } from '@pendolo/api'
import type { Config } from '../config.ts'
import { artefactBytes } from '../media/artefacts.ts'
import { isWorked } from '../media/originals.ts'
import type { FileRow } from '../ports/store.ts'

/**
 * Bytes that a project takes: of originals where they lie, and of what is kept beside them here: light copies, films, files that were
 * dropped or made of originals. What two projects use counts for both.
 * @param results what its work came to
 */
export function spaceOf(config: Config, files: readonly FileRow[], results: readonly JobResult[]): ProjectSummary['space'] {
  const isHere = (file: FileRow) => isWorked(config, file) || file.path.startsWith(config.uploads + path.sep)
  const sum = (list: readonly FileRow[]) => list.reduce((bytes, f) => bytes + f.size, 0)
  const keys = new Set([...files.map((f) => f.contentKey), ...results.flatMap((r) => ('key' in r ? [r.key] : []))])
  const copies = [...keys].reduce((bytes, key) => bytes + artefactBytes(config, key), 0)
  const films = results.reduce((bytes, r) => bytes + ('path' in r ? (statSync(r.path, { throwIfNoEntry: false })?.size ?? 0) : 0), 0)
  return { originals: sum(files.filter((f) => !isHere(f))), kept: sum(files.filter(isHere)) + copies + films }
}
