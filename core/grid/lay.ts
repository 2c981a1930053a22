import { correlation, powerOfTwo } from '../signal/index.ts'

export interface Laid {
  /** Seconds to add to the song's times. */
  readonly shift: number
  /** How far the best shift stands out from the others, standard deviations. */
  readonly clear: number
}

/** Notes are widened to this, so that human timing still adds up, s. */
const WIDTH = 0.02

/**
 * Where a written song lies on a recording: the shift at which its notes fall on the rises of loudness, by
 * cross-correlation over all shifts.
 * @param notes seconds at which notes begin, ascending
 * @param loudness 0..1 of each step of the recording
 * @param perSecond steps a second
 * @returns null when there are no notes or no sound
 */
export function laySong(notes: readonly number[], loudness: Float32Array, perSecond: number): Laid | null {
  if (notes.length < 4 || loudness.length < perSecond) return null
  const rise = new Float32Array(loudness.length)
  let rises = 0
  for (let i = 2; i < rise.length; i++) {
    rise[i] = Math.max(0, Math.log(0.01 + loudness[i]) - Math.log(0.01 + Math.max(loudness[i - 1], loudness[i - 2])))
    rises += rise[i]
  }
  if (!(rises > 0)) return null
  const first = notes[0]
  const span = Math.ceil((notes[notes.length - 1] - first + 1) * perSecond)
  const struck = new Float32Array(span)
  for (const t of notes)
    for (let d = -3; d <= 3; d++) {
      const at = Math.round((t - first) * perSecond) + d
      const off = (d / perSecond / WIDTH) ** 2
      if (at >= 0 && at < span) struck[at] += Math.exp(-0.5 * off)
    }
  const level = (x: Float32Array) => {
    const mean = x.reduce((s, v) => s + v, 0) / x.length
    return x.map((v) => v - mean)
  }
  const size = powerOfTwo(rise.length + span)
  const fits = correlation(level(rise), level(struck), size)
  let best = 0
  let squares = 0
  for (let i = 0; i < size; i++) {
    if (fits[i] > fits[best]) best = i
    squares += fits[i] * fits[i]
  }
  const lag = best > rise.length ? best - size : best
  return { shift: lag / perSecond - first, clear: fits[best] / Math.sqrt(squares / size) }
}
