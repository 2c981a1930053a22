import type { FileHandle } from 'node:fs/promises'

/** Chunks that are looked through. */
const MOST_CHUNKS = 1000
/** Bytes of a chunk's name and length. */
const HEAD = 8
/** What a length says that stands elsewhere, or was never written. */
const UNTOLD = 0xffffffff

interface Chunk {
  readonly id: string
  /** Where its content begins, and how long it says it is, bytes. */
  readonly at: number
  readonly length: number
}

/** The chunks of a RIFF, RF64 or BW64 file (EBU Tech 3306), in the order in which they lie there. */
export async function* chunksOf(handle: FileHandle): AsyncGenerator<Chunk> {
  const head = Buffer.alloc(12)
  if ((await handle.read(head, 0, 12, 0)).bytesRead < 12) return
  if (!/^(RIFF|RF64|BW64)$/.test(head.toString('latin1', 0, 4)) || head.toString('latin1', 8, 12) !== 'WAVE') return
  let dataLength: number | null = null
  for (let at = 12, n = 0; n < MOST_CHUNKS; n++) {
    const chunk = Buffer.alloc(HEAD)
    if ((await handle.read(chunk, 0, HEAD, at)).bytesRead < HEAD) return
    const id = chunk.toString('latin1', 0, 4)
    let length = chunk.readUInt32LE(4)
    if (id === 'ds64') {
      const sizes = Buffer.alloc(16)
      if ((await handle.read(sizes, 0, 16, at + HEAD)).bytesRead === 16) dataLength = Number(sizes.readBigUInt64LE(8))
    }
    if (id === 'data' && length === UNTOLD) length = dataLength ?? length
    yield { id, at: at + HEAD, length }
    at += HEAD + length + (length % 2)
  }
}

/** Where the samples of such a file lie: all that is there where no length was written, or a longer one. @returns null where it has none */
export async function samplesOf(handle: FileHandle): Promise<{ readonly at: number; readonly length: number } | null> {
  for await (const { id, at, length } of chunksOf(handle)) {
    if (id !== 'data') continue
    const there = Math.max(0, (await handle.stat()).size - at)
    return { at, length: length === 0 || length === UNTOLD ? there : Math.min(length, there) }
  }
  return null
}
