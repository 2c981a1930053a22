import { interpolate } from './resample.ts'

/** Mono samples that are read where they are needed, from memory or a file. */
export interface SampleSource {
  readonly length: number
  /** Samples from (included) to (excluded), both inside. */
  read(from: number, to: number): Float32Array
}

/** Samples in memory as a source; what is read from it is a view of them, not a copy. */
export function sourceOf(samples: Float32Array): SampleSource {
  return { length: samples.length, read: (from, to) => samples.subarray(from, to) }
}

/** Input samples on either side of a stretch that interpolation looks at, and some. */
const MARGIN = 80

/**
 * A source played at another speed, computed where it is read.
 * @param ratio output samples for one input sample: 1.5 makes it 1.5 times as long. Positive.
 */
export function stretchedSource(source: SampleSource, ratio: number): SampleSource {
  const cutoff = Math.min(1, ratio)
  return {
    length: Math.floor(source.length * ratio),
    read(from, to) {
      const first = Math.max(0, Math.floor(from / ratio) - MARGIN)
      const last = Math.min(source.length, Math.ceil(to / ratio) + MARGIN)
      const part = source.read(first, last)
      const out = new Float32Array(to - from)
      for (let n = 0; n < out.length; n++) out[n] = interpolate(part, part.length, 1, 0, (from + n) / ratio - first, cutoff)
      return out
    },
  }
}
