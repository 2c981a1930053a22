import { readdir, realpath } from 'node:fs/promises'
import path from 'node:path'
import { Cancelled } from '../media/ffmpeg.ts'
import { looksLikeMedia } from './media-names.ts'

/** Media files below a folder, as {@link filesBelow} finds them. */
export async function* mediaBelow(folder: string, signal?: AbortSignal): AsyncGenerator<string> {
  for await (const file of filesBelow(folder, signal)) if (looksLikeMedia(path.basename(file))) yield file
}

/**
 * Plain files below a folder, nearest first, in the order people count. Links are not followed, since they could lead out
 * of the allowed folders; folders that may not be read are left out.
 * @throws Cancelled when the signal fires
 */
export async function* filesBelow(folder: string, signal?: AbortSignal): AsyncGenerator<string> {
  const queue = [await realpath(folder)]
  for (let at = queue.shift(); at !== undefined; at = queue.shift()) {
    if (signal?.aborted) throw new Cancelled()
    const entries = await readdir(at, { withFileTypes: true }).catch(() => [])
    for (const entry of entries.sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }))) {
      if (entry.name.startsWith('.')) continue
      const full = path.join(at, entry.name)
      if (entry.isDirectory()) queue.push(full)
      else if (entry.isFile()) yield full
    }
  }
}
