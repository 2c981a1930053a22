import fc from 'fast-check'
import { OntoClock, type Piece } from './onto-clock.ts'

/** A tone of the clip's, by its own frames. */
const tone = (n: number) => 0.5 * Math.sin(n * 0.37)
const buffer = (from: number, count: number) => [Float32Array.from({ length: count }, (_, n) => tone(from + n))]

/** All pieces as one line from the first frame on; holes are an error. */
function line(pieces: readonly Piece[]): { from: number; samples: number[] } {
  const samples: number[] = []
  for (const { channels, frame } of pieces) {
    expect(frame).toBe(pieces[0].frame + samples.length)
    samples.push(...channels[0])
  }
  return { from: pieces[0].frame, samples }
}

describe('a clip whose clock runs otherwise', () => {
  test('comes out on whole frames of the audio clock, each what the clip has there, however its buffers are cut', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.9995, max: 1.0005, noNaN: true }),
        fc.double({ min: 0.01, max: 900, noNaN: true }),
        fc.array(fc.integer({ min: 1, max: 4096 }), { minLength: 1, maxLength: 6 }),
        (rate, begins, counts) => {
          const clock = new OntoClock(rate)
          const pieces: Piece[] = []
          let done = 0
          for (const count of counts) {
            pieces.push(...clock.add(buffer(done, count), begins + done * rate))
            done += count
          }
          pieces.push(...clock.end())
          const { from, samples } = line(pieces)
          expect(from).toBe(Math.ceil(begins))
          expect(Math.abs(from + samples.length - (begins + done * rate))).toBeLessThanOrEqual(1)
          // Beside the ends, where there is nothing to read.
          for (let n = 70; n < samples.length - 70; n++) expect(Math.abs(samples[n] - tone((from + n - begins) / rate))).toBeLessThan(1e-4)
        },
      ),
      { numRuns: 60 },
    )
  })

  test('begins anew behind a hole, with nothing of before left out', () => {
    const clock = new OntoClock(1.0001)
    const first = [...clock.add(buffer(0, 1000), 10)]
    const second = clock.add(buffer(5000, 1000), 6000.5)
    expect(second[0].frame + second[0].channels[0].length).toBe(Math.ceil(10 + 1000 * 1.0001))
    expect(second[1].frame).toBe(6001)
    expect(first[0].frame).toBe(10)
  })
})
