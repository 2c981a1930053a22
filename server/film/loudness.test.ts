import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { LoudnessMeter } from '@pendolo/core/mix'
import { filmMeter, levelTo, soundReport } from './loudness.ts'

const RATE = 48000
const folder = mkdtempSync(path.join(os.tmpdir(), 'pendolo-test-'))
const file = path.join(folder, 'sound.f32')
const signal = new AbortController().signal
afterAll(() => rmSync(folder, { recursive: true, force: true }))

function write(seconds: number, at: (t: number, n: number) => number): Float32Array {
  const samples = new Float32Array(2 * RATE * seconds)
  for (let n = 0; n < RATE * seconds; n++) samples.fill(at(n / RATE, n), 2 * n, 2 * n + 2)
  writeFileSync(file, new Uint8Array(samples.buffer))
  return samples
}
function read(): Float32Array {
  return new Float32Array(Uint8Array.from(readFileSync(file)).buffer)
}
function measured(samples: Float32Array) {
  const meter = filmMeter()
  meter.add(samples)
  return meter.measured()
}

test('quiet sound is raised to a loudness, as long as it was, and what would be too loud is held', async () => {
  // Phrases of a tone with knocks in between: 14 dB of head room, 20 needed.
  const samples = write(20, (t, n) => (t % 2 < 1.4 ? 0.03 : 0.004) * Math.sin(2 * Math.PI * 440 * t) + (n % 24000 < 40 ? 0.2 * Math.sin(n) : 0))
  const report = await levelTo(file, -16, measured(samples), signal)
  const out = read()
  expect(out).toHaveLength(samples.length)
  const now = measured(out)
  expect(Math.abs(now.integrated + 16)).toBeLessThan(0.1)
  expect(now.truePeak).toBeLessThanOrEqual(-1.4)
  expect(report.integrated).toBeCloseTo(now.integrated, 1)
  expect(report.gainDb).toBeGreaterThan(10)
  expect(report.limitedDb).toBeGreaterThan(1)
  expect(readdirSync(folder)).toEqual(['sound.f32'])
})

test('loud sound is only made quieter', async () => {
  const samples = write(8, (t) => 0.8 * Math.sin(2 * Math.PI * 300 * t))
  const report = await levelTo(file, -23, measured(samples), signal)
  const out = read()
  const gain = 10 ** (report.gainDb / 20)
  for (let i = 20000; i < 30000; i += 97) expect(out[i]).toBeCloseTo(gain * samples[i], 4)
  expect([report.limitedDb, report.integrated]).toEqual([0, -23])
})

test('silence stays silence and says so', async () => {
  const samples = write(2, () => 0)
  expect(await levelTo(file, -16, measured(samples), signal)).toEqual({ integrated: null, range: 0, truePeak: null, gainDb: 0, limitedDb: 0 })
  expect(read()).toEqual(samples)
})

test('who cancels finds the sound as it was, and nothing beside it', async () => {
  const samples = write(4, (t) => 0.1 * Math.sin(900 * t))
  const abort = new AbortController()
  abort.abort()
  await expect(levelTo(file, -16, measured(samples), abort.signal)).rejects.toThrow()
  expect(read()).toEqual(samples)
  expect(readdirSync(folder)).toEqual(['sound.f32'])
})

test('a report is a plain number or nothing', () => {
  const meter = new LoudnessMeter(RATE, 2)
  expect(JSON.parse(JSON.stringify(soundReport(meter.measured())))).toEqual(soundReport(meter.measured()))
})
