import { closeSync, fstatSync, openSync, readSync } from 'node:fs'
import { type HeardSound, heardIn } from '@pendolo/core/lineup'

/**
 * Opens a recording's analysis sound for placing: samples are read from the file where they are needed, so that hours of
 * many cameras fit in little memory.
 * @param analysis path of the 'analysis' artefact, or of a channel's own
 */
export function openHeard(analysis: string): { sound: HeardSound; close: () => void } {
  const file = openSync(analysis, 'r')
  const length = Math.floor(fstatSync(file).size / 2)
  const read = (from: number, to: number): Float32Array => {
    const bytes = Buffer.alloc(2 * (to - from))
    readSync(file, bytes, 0, bytes.length, 2 * from)
    const samples = new Int16Array(bytes.buffer, bytes.byteOffset, to - from)
    // Not Float32Array.from with a function: it walks an iterator, many times slower.
    const out = new Float32Array(samples.length)
    for (let i = 0; i < out.length; i++) out[i] = samples[i] / 32768
    return out
  }
  return { sound: heardIn({ length, read }), close: () => closeSync(file) }
}
