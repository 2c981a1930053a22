import { closeSync, fstatSync, openSync, readFileSync, readSync } from 'node:fs'
import path from 'node:path'
import type { HeardSound } from '@pendolo/core/lineup'
import { unpackFeatures } from '@pendolo/core/signal'
import { ARTEFACTS } from './artefacts.ts'

/**
 * Opens a recording's analysis sound for placing: samples are read from the file where they are needed, so that hours of
 * many cameras fit in little memory; features come whole.
 * @param analysis path of the 'analysis' artefact, or of a channel's own; the features lie beside it
 */
export function openHeard(analysis: string): { sound: HeardSound; close: () => void } {
  const whole = path.basename(analysis) === ARTEFACTS.analysis
  const features = unpackFeatures(readFileSync(whole ? path.join(path.dirname(analysis), ARTEFACTS.features) : analysis.replace(/\.s16$/, '.bands')))
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
  return { sound: { source: { length, read }, features }, close: () => closeSync(file) }
}
