import { existsSync } from 'node:fs'
import { readdir, realpath, stat } from 'node:fs/promises'
import os from 'node:os'
import path from 'node:path'
import type { FolderEntry, FolderListing } from '@pendolo/api'
import type { Config } from '../config.ts'
import { inside } from '../media/originals.ts'
import { looksLikeMedia } from './media-names.ts'

/** A path that may not be read, or is not there. */
export class PathError extends Error {
  readonly code = 'path'
}

/**
 * The real path behind a name, when it lies in an allowed root (links resolved first).
 * @throws PathError otherwise
 */
export async function allowedPath(config: Config, given: string): Promise<string> {
  if (given.includes('\0')) throw new PathError('this is no path')
  let real: string
  try {
    real = await realpath(path.resolve(given))
  } catch {
    throw new PathError(`${given} does not exist any more; pick it again`)
  }
  if (await inside(config.roots, real)) return real
  throw new PathError(`${given} is outside the folders that may be read; start with PENDOLO_ROOTS=FOLDER to allow more`)
}

export async function listRoots(config: Config): Promise<FolderEntry[]> {
  const out: FolderEntry[] = []
  for (const root of config.roots)
    if (existsSync(root)) out.push({ name: rootName(config, root), path: root, kind: 'folder', size: 0, mediaCount: await countMedia(root, 1) })
  return out
}

function rootName(config: Config, root: string): string {
  if (root === path.resolve(os.homedir())) return 'home folder'
  if (root === path.resolve(config.uploads)) return 'dropped files'
  return path.basename(root) || root
}

export async function listFolder(config: Config, given: string): Promise<FolderListing> {
  const real = await allowedPath(config, given)
  if (!(await stat(real)).isDirectory()) throw new PathError(`${given} is no folder`)
  const entries: FolderEntry[] = []
  for (const entry of await readdir(real, { withFileTypes: true })) {
    if (entry.name.startsWith('.')) continue
    const full = path.join(real, entry.name)
    if (entry.isDirectory()) entries.push({ name: entry.name, path: full, kind: 'folder', size: 0, mediaCount: await countMedia(full, 2) })
    else if (entry.isFile() && looksLikeMedia(entry.name))
      entries.push({ name: entry.name, path: full, kind: 'file', size: (await stat(full)).size, mediaCount: 1 })
  }
  entries.sort((a, b) => (a.kind === b.kind ? a.name.localeCompare(b.name, 'en', { numeric: true }) : a.kind === 'folder' ? -1 : 1))
  const parent = path.dirname(real)
  const parentAllowed = await allowedPath(config, parent).then(
    () => parent !== real,
    () => false,
  )
  return { path: real, parent: parentAllowed ? parent : null, entries }
}

/** Media files below a folder to a depth; for the figures in the browser, so unreadable folders count nothing. */
async function countMedia(folder: string, depth: number): Promise<number> {
  let count = 0
  try {
    for (const entry of await readdir(folder, { withFileTypes: true })) {
      if (entry.name.startsWith('.')) continue
      if (entry.isFile() && looksLikeMedia(entry.name)) count++
      else if (entry.isDirectory() && depth > 1 && count < 500) count += await countMedia(path.join(folder, entry.name), depth - 1)
    }
  } catch {
    return count
  }
  return count
}
