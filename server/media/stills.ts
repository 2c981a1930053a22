import { closeSync, openSync, readSync } from 'node:fs'
import path from 'node:path'

/** Endings of single pictures that may be an angle of their own. */
const STILL = /\.(jpe?g|png|tiff?|webp)$/i

/** By the first bytes of a file, so that content decides; each is read as one picture, never as a numbered row of files. */
const KINDS: readonly (readonly [demuxer: string, matches: (head: Buffer) => boolean])[] = [
  ['jpeg_pipe', (head) => head.readUIntBE(0, 3) === 0xffd8ff],
  ['png_pipe', (head) => head.toString('latin1', 1, 8) === 'PNG\r\n\u001a\n'],
  ['tiff_pipe', (head) => /^(II\*\0|MM\0\*)/.test(head.toString('latin1', 0, 4))],
  ['webp_pipe', (head) => head.toString('latin1', 0, 4) === 'RIFF' && head.toString('latin1', 8, 12) === 'WEBP'],
]
const HEAD_BYTES = 12

export const endsLikeStill = (name: string): boolean => STILL.test(name)

/** The demuxer that reads a single picture, by the file's name and its first bytes; null when it is none. */
export function stillDemuxer(file: string): string | null {
  if (!endsLikeStill(path.basename(file))) return null
  const head = Buffer.alloc(HEAD_BYTES)
  try {
    const handle = openSync(file, 'r')
    try {
      if (readSync(handle, head, 0, HEAD_BYTES, 0) < HEAD_BYTES) return null
    } finally {
      closeSync(handle)
    }
  } catch {
    return null
  }
  return KINDS.find(([, matches]) => matches(head))?.[0] ?? null
}
