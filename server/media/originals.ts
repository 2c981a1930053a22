import { existsSync, statSync } from 'node:fs'
import { realpath } from 'node:fs/promises'
import path from 'node:path'
import type { Config } from '../config.ts'
import { MediaError } from './words.ts'

/**
 * Makes sure that an original is still what was gathered: a plain file of the same length in the folders that
 * may be read. What was swapped for a link that leads elsewhere, or for a pipe, is not opened.
 * @throws MediaError when it is not
 */
export async function present(config: Config, file: { readonly path: string; readonly size?: number }): Promise<void> {
  if (!existsSync(file.path)) {
    throw new MediaError(
      `${file.path} is missing; ${isWorked(config, file) ? 'it was made of an original: make it again in Balance' : 'find it again in Gather, then try again'}`,
    )
  }
  const real = await realpath(file.path).catch(() => file.path)
  if (real !== file.path && !(await inside([...config.roots, config.worked], real)))
    throw new MediaError(`${file.path} is now a link to a place outside the folders that may be read; put the recording itself back`)
  const now = statSync(real)
  if (!now.isFile()) throw new MediaError(`${file.path} is no plain file any more; put the recording itself back`)
  if (file.size && now.size !== file.size)
    throw new MediaError(
      `${file.path} has changed since it was gathered: it was ${bytesText(file.size)} long and is ${bytesText(now.size)}. Copy it from the card again, or gather the changed one under another name`,
    )
}

/** Whether a file was made of an original by us. */
export const isWorked = (config: Config, file: { readonly path: string }): boolean => file.path.startsWith(config.worked + path.sep)

const bytesText = (bytes: number): string => `${bytes.toLocaleString('en')} bytes`

/** Whether a real path lies in one of the folders, whose own links are followed. */
export async function inside(folders: readonly string[], real: string): Promise<boolean> {
  for (const folder of folders) {
    const base = await realpath(folder).catch(() => null)
    if (base !== null && (real === base || real.startsWith(base.endsWith(path.sep) ? base : base + path.sep))) return true
  }
  return false
}
