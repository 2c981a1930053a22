import { existsSync } from 'node:fs'
import { stat } from 'node:fs/promises'
import path from 'node:path'
import type { Config } from '../config.ts'
import { contentKey } from '../media/content.ts'
import { Cancelled } from '../media/ffmpeg.ts'
import { isWorked } from '../media/originals.ts'
import type { FileRow, ProjectStore } from '../ports/store.ts'
import { mediaBelow } from './walk.ts'

/** After so many media files a search is over: that many are no event any more. */
const MOST_LOOKED_AT = 50_000

/** A file that is not where it was, and where it is now. */
export interface FoundAgain {
  readonly file: FileRow
  readonly path: string
}

const missingOf = (files: readonly FileRow[]): FileRow[] => files.filter((f) => !existsSync(f.path))

/**
 * Tells which missing originals of a project some files are: the size must agree, then the content. Of equal copies the
 * one with the old name is taken; what the project has already is none of them.
 * @param files all files of the project
 * @param candidates paths in an order of preference
 */
export async function recognise(files: readonly FileRow[], candidates: AsyncIterable<string> | Iterable<string>): Promise<FoundAgain[]> {
  const missing = missingOf(files)
  if (missing.length === 0) return []
  const taken = new Set(files.map((f) => f.path))
  const sizes = new Set(missing.map((f) => f.size))
  const best = new Map<string, FoundAgain>()
  let looked = 0
  for await (const candidate of candidates) {
    if (++looked > MOST_LOOKED_AT) break
    if (taken.has(candidate)) continue
    const facts = await stat(candidate).catch(() => null)
    if (!facts?.isFile() || !sizes.has(facts.size)) continue
    const { key } = await contentKey(candidate).catch(() => ({ key: null }))
    for (const file of missing) {
      if (file.contentKey !== key) continue
      const named = path.basename(candidate) === file.name
      if (!best.has(file.id) || (named && path.basename(best.get(file.id)?.path ?? '') !== file.name)) best.set(file.id, { file, path: candidate })
    }
    if (best.size === missing.length && [...best.values()].every((f) => path.basename(f.path) === f.file.name)) break
  }
  return [...best.values()]
}

/**
 * Looks for the missing originals of a project in every folder that may be read.
 * @param onLooked told the number of media files looked at so far
 * @returns those found, and names of those still missing
 * @throws Cancelled when the signal fires; then nothing has changed
 */
export async function findAgain(
  config: Config,
  store: ProjectStore,
  projectId: string,
  onLooked: (count: number) => void,
  signal: AbortSignal,
): Promise<{ found: FileRow[]; missing: string[] }> {
  const files = (await store.files(projectId)).filter((f) => !isWorked(config, f))
  let looked = 0
  async function* everywhere() {
    for (const root of config.roots) {
      if (!existsSync(root)) continue
      for await (const file of mediaBelow(root, signal)) {
        onLooked(++looked)
        yield file
      }
    }
  }
  const found = await recognise(files, everywhere())
  await store.moveFiles(projectId, found)
  return {
    found: found.map(({ file, path: now }) => ({ ...file, path: now, name: path.basename(now) })),
    missing: missingOf(files)
      .filter((m) => !found.some((f) => f.file.id === m.id))
      .map((m) => m.name),
  }
}

/** A file as somebody else has it: its path from what was dropped on, its size and its content. */
export interface Wanted {
  readonly name: string
  readonly size: number
  readonly key: string
}

/**
 * Looks for files in all folders that may be read: of those with the size and the content of a wanted one, that whose
 * path ends most like it. Dropped copies count too, so that what has arrived once need not come again.
 * @param patience when it fires, what was found until then is the answer
 * @returns a path for each wanted file, null where none was found
 */
export async function lieAlready(config: Config, wanted: readonly Wanted[], patience: AbortSignal): Promise<(string | null)[]> {
  const sizes = new Map<number, number[]>()
  for (const [i, { size }] of wanted.entries()) sizes.set(size, [...(sizes.get(size) ?? []), i])
  const out = wanted.map((): { path: string; alike: number } | null => null)
  const alike = (file: string, name: string) => {
    const [a, b] = [file.split(path.sep).reverse(), name.split('/').reverse()]
    let n = 0
    while (n < b.length && a[n]?.toLowerCase() === b[n].toLowerCase()) n++
    return n
  }
  try {
    for (const root of config.roots) {
      if (!existsSync(root)) continue
      for await (const file of mediaBelow(root, patience)) {
        const size = (await stat(file).catch(() => null))?.size
        const same = sizes.get(size ?? -1)
        if (!same) continue
        const { key } = await contentKey(file).catch(() => ({ key: null }))
        for (const i of same) {
          if (wanted[i].key !== key) continue
          const close = alike(file, wanted[i].name)
          if (close > (out[i]?.alike ?? -1)) out[i] = { path: file, alike: close }
        }
      }
    }
  } catch (error) {
    if (!(error instanceof Cancelled)) throw error
  }
  return out.map((one) => one?.path ?? null)
}
