import type { SampleForm } from '@pendolo/core/signal'
import { HeldSound, HeldStreams } from './held-sound.ts'

const WRITERS: Record<SampleForm, [bytes: number, write: (to: Buffer, value: number, at: number) => void]> = {
  s16: [2, (to, value, at) => to.writeInt16LE(value * 2 ** 15, at)],
  s24: [3, (to, value, at) => to.writeIntLE(value * 2 ** 23, at, 3)],
  s32: [4, (to, value, at) => to.writeInt32LE(value * 2 ** 31, at)],
  f32: [4, (to, value, at) => to.writeFloatLE(value, at)],
}
/** A value of its own for each frame and channel, exact in all forms; every other one is negative. */
const sampleAt = (frame: number, channel: number) => ((frame % 2 === 0 ? 1 : -1) * (((frame * 31 + channel * 7) % 32_000) + 1)) / 2 ** 15

function bytesOf(form: SampleForm, width: number, frames: number): Buffer {
  const [size, write] = WRITERS[form]
  const out = Buffer.alloc(size * width * frames)
  for (let n = 0; n < frames; n++) for (let c = 0; c < width; c++) write(out, sampleAt(n, c), size * (n * width + c))
  return out
}

const forms = Object.keys(WRITERS) as SampleForm[]
const cases = forms.flatMap((form) => [1, 2, 7, 8].map((width) => [form, width] as const))

test.each(cases)('%s, %i channels: what comes in odd pieces is held whole, let go, and taken out of any frames', (form, width) => {
  const columns = Array.from({ length: width }, (_, c) => c)
  const held = new HeldSound({ form, width, columns })
  const bytes = bytesOf(form, width, 3000)
  held.begin(500)
  for (let at = 0, piece = 1; at < bytes.length; at += piece, piece = (piece * 5 + 3) % 997) {
    // Pieces lie anywhere in memory.
    held.append(Buffer.concat([Buffer.alloc(at % 3), bytes.subarray(at, at + piece)]).subarray(at % 3))
    held.drop(held.end - 700)
  }
  expect(held.end).toBe(3500)
  expect(held.from).toBe(2800)
  for (const [from, count] of [
    [2800, 700],
    [3001, 130],
    [3499, 1],
  ]) {
    const planes = held.view(from, count)
    expect(planes?.map((p) => [...p])).toEqual(columns.map((c) => Array.from({ length: count }, (_, n) => sampleAt(from - 500 + n, c))))
  }
  expect(held.view(2799, 2)).toBeNull()
  expect(held.view(3499, 2)).toBeNull()
})

test('only the wanted channels are taken out, in their order, whether or not four of them are neighbours', () => {
  const columns = [1, 4, 5, 6, 7, 9, 10, 11]
  const held = new HeldSound({ form: 's24', width: 12, columns })
  held.begin(0)
  held.append(bytesOf('s24', 12, 100))
  const planes = held.view(20, 70)
  expect(planes?.map((p) => [...p])).toEqual(columns.map((c) => Array.from({ length: 70 }, (_, n) => sampleAt(20 + n, c))))
})

test('begun anew, nothing is left of what was held, not even half a frame', () => {
  const held = new HeldSound({ form: 's16', width: 2, columns: [0, 1] })
  held.begin(0)
  held.append(bytesOf('s16', 2, 10).subarray(0, 39))
  held.begin(48)
  held.append(bytesOf('s16', 2, 4))
  expect([held.from, held.end]).toEqual([48, 52])
  expect(held.view(48, 4)?.map((p) => [...p])).toEqual([0, 1].map((c) => [0, 1, 2, 3].map((n) => sampleAt(n, c))))
})

test('of several streams only what all of them hold is handed on, one behind the other', () => {
  const held = new HeldStreams([
    { form: 's16', width: 3, columns: [2, 0] },
    { form: 'f32', width: 1, columns: [0] },
  ])
  const [one, two] = [bytesOf('s16', 3, 400), bytesOf('f32', 1, 400)]
  held.begin(1000)
  held.append(0, one.subarray(0, 6 * 300))
  expect(held.end).toBe(1000)
  expect(held.view(1000, 1)).toBeNull()
  held.append(1, two.subarray(0, 4 * 120 + 2))
  expect(held.end).toBe(1120)
  // What one has not yet cannot be let go: it is as soon as it comes.
  held.drop(1200)
  expect(held.view(1100, 20)).toBeNull()
  held.append(1, two.subarray(4 * 120 + 2))
  held.append(0, one.subarray(6 * 300))
  held.drop(1200)
  expect([held.from, held.end]).toEqual([1200, 1400])
  const wanted = [2, 0, 0].map((c) => Array.from({ length: 150 }, (_, n) => sampleAt(250 + n, c)))
  expect(held.view(1250, 150)?.map((p) => [...p])).toEqual(wanted)
})
