import { link, mkdir, readdir, rename, rm, stat } from 'node:fs/promises'
import path from 'node:path'
import type { Config } from '../config.ts'
import { PART, synced } from '../media/artefacts.ts'
import { type Found, inFolders } from './gather.ts'
import { notLookedInto } from './media-names.ts'

/** Dropped originals of a project: each below a folder named by its content, so that none can take another's place. */
export const uploadsOf = (config: Config, projectId: string): string => path.join(config.uploads, projectId)

/** A file that has arrived whole under an unfinished name. */
export interface Arrived {
  readonly part: string
  /** Digest of all its bytes. */
  readonly digest: string
  /** Names of the folders it was dropped with, its own name last. */
  readonly parts: readonly string[]
}

/** Bytes that a name may have; file systems take 255, and unfinished files have a longer one. */
const LONGEST_NAME = 200
const DEEPEST = 16

/** Names of a dropped path that can be names on disk; empty when nothing is left. Long ones keep their ending. */
export function safeParts(dropped: string): string[] {
  const parts = dropped
    .split(/[\\/]+/)
    .map((part) => part.replace(/[<>:"|?*\p{Cc}]/gu, '_').trim())
    .filter((part) => part !== '' && part !== '.' && part !== '..')
    .map(shortened)
  return parts.length <= DEEPEST ? parts : [...parts.slice(0, DEEPEST - 1), parts[parts.length - 1]]
}

function shortened(name: string): string {
  if (Buffer.byteLength(name) <= LONGEST_NAME) return name
  const ending = /\.[^.]{1,10}$/.exec(name)?.[0] ?? ''
  let stem = [...name.slice(0, name.length - ending.length)]
  while (Buffer.byteLength(stem.join('')) > LONGEST_NAME - Buffer.byteLength(ending)) stem = stem.slice(0, -1)
  return stem.join('') + ending
}

/**
 * Gives an arrived file its final name. What is there already under that content stays, whatever its name.
 * @returns where it lies
 */
export async function settle(config: Config, projectId: string, { part, digest, parts }: Arrived): Promise<string> {
  const folder = path.join(uploadsOf(config, projectId), digest.slice(0, 32))
  const there = await filesBelow(folder)
  if (there.length > 0) {
    await rm(part, { force: true })
    return there[0]
  }
  const final = path.join(folder, ...parts)
  await mkdir(path.dirname(final), { recursive: true })
  await synced(part)
  try {
    // A link never takes another's place, which a renaming would.
    await link(part, final)
    await rm(part, { force: true })
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (code === 'EEXIST') await rm(part, { force: true })
    else if (code === 'EPERM' || code === 'ENOTSUP' || code === 'EMLINK') await rename(part, final)
    else throw error
  }
  await synced(path.dirname(final))
  return final
}

async function filesBelow(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch(() => [])
  return entries.filter((e) => e.isFile() && !e.name.startsWith(PART)).map((e) => path.join(e.parentPath, e.name))
}

/** The folders that stand for cameras, for files that were dropped together. In folders only what may be a recording is looked at. */
export function droppedFound(files: readonly { path: string; parts: readonly string[] }[]): Found[] {
  const out: Found[] = []
  const tops = new Map<string, { path: string; within: string[] }[]>()
  for (const { path: file, parts } of files) {
    if (parts.length === 1) out.push({ path: file, folder: null })
    else if (notLookedInto(parts[parts.length - 1]) === null) {
      const list = tops.get(parts[0]) ?? []
      list.push({ path: file, within: parts.slice(1) })
      tops.set(parts[0], list)
    }
  }
  for (const [top, list] of tops) out.push(...inFolders(top, list))
  return out
}

/** Takes away dropped files that no project has: they are no recordings, or are there already. */
export async function discard(config: Config, files: readonly string[], kept: ReadonlySet<string>): Promise<void> {
  for (const file of files) {
    if (kept.has(file)) continue
    // A folder is no copy; whoever names one loses nothing.
    if (!(await stat(file).catch(() => null))?.isFile()) continue
    await rm(file, { force: true })
    // Empty folders go too, up to that of all uploads.
    for (let at = path.dirname(file); at.startsWith(config.uploads + path.sep); at = path.dirname(at)) {
      if ((await readdir(at).catch(() => ['?'])).length > 0) break
      await rm(at, { recursive: true, force: true })
    }
  }
}

/**
 * What an ended process left in a project's uploads: unfinished files are taken away, whole ones that no project has
 * are returned. Called only by the one process that has the data folder.
 */
export async function leftovers(config: Config, projectId: string, kept: ReadonlySet<string>): Promise<{ path: string; parts: string[] }[]> {
  const home = uploadsOf(config, projectId)
  const out: { path: string; parts: string[] }[] = []
  for (const entry of await readdir(home, { withFileTypes: true }).catch(() => [])) {
    if (entry.name.startsWith(PART)) await rm(path.join(home, entry.name), { recursive: true, force: true })
    else if (entry.isDirectory() && /^[0-9a-f]{32}$/.test(entry.name))
      for (const file of await filesBelow(path.join(home, entry.name)))
        if (!kept.has(file)) out.push({ path: file, parts: path.relative(path.join(home, entry.name), file).split(path.sep) })
  }
  return out
}
