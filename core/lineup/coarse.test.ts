import { ANALYSIS_RATE } from '../signal/index.ts'
import { CoarseReference } from './coarse.ts'
import { heard } from './index.ts'
import { random, sameBars } from './testing.ts'

/** As a camera in a small room hears it. */
function recorded(sound: Float32Array, seed: number): Float32Array {
  const r = random(seed)
  return sound.map((x, i) => 0.4 * x + 0.2 * (sound[i - 300] ?? 0) + 0.1 * (sound[i - 900] ?? 0) + 0.05 * r())
}

test.each([1, 2, 3, 4, 5, 6])(
  'where a band plays the same bars again and again, the place over an end of the master that fits is among those looked at (%i)',
  (seed) => {
    const whole = sameBars(110, seed)
    const [seconds, shared] = [16, 6 + seed / 4]
    // Cameras that ran until the recording began, and others that ran on.
    const from = seed % 2 === 0 ? 80 - shared : 40 - seconds + shared
    const cut = (a: number, b: number) => whole.slice(Math.round(a * ANALYSIS_RATE), Math.round(b * ANALYSIS_RATE))
    const frames = (samples: Float32Array) => {
      const { features } = heard(samples)
      return features.read(0, features.frames)
    }
    const { peaks } = new CoarseReference(frames(cut(40, 80))).search(frames(recorded(cut(from, from + seconds), seed)), 14)
    expect(peaks.some((p) => Math.abs(p.startSeconds - (from - 40)) < 0.02)).toBe(true)
    expect(peaks.length).toBeLessThanOrEqual(14 + 4 + 2 * 6)
  },
)
