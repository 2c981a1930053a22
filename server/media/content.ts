import { open } from 'node:fs/promises'
import { contentKeyOf } from '@pendolo/api'

/** Name of a file's content, and its size. */
export async function contentKey(file: string): Promise<{ key: string; size: number }> {
  const handle = await open(file, 'r')
  try {
    const { size } = await handle.stat()
    const read = async (at: number, length: number) => {
      const buffer = new Uint8Array(length)
      const { bytesRead } = await handle.read(buffer, 0, length, at)
      return buffer.subarray(0, bytesRead)
    }
    const key = await contentKeyOf(size, read, (bytes) => crypto.subtle.digest('SHA-256', bytes))
    return { key, size }
  } finally {
    await handle.close()
  }
}
