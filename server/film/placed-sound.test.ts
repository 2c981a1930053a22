import { execFileSync } from 'node:child_process'
import { closeSync, existsSync, openSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import type { Placement } from '@pendolo/core/project'
import { secondsToFlicks } from '@pendolo/core/time'
import { probe } from '../media/probe.ts'
import { makeMedia, showFolder, testConfig } from '../testing.ts'
import { FILM_SOUND_RATE, type Heard, PlacedSound } from './placed-sound.ts'

const config = testConfig()
const folder = showFolder(config)
const BLOCK = FILM_SOUND_RATE / 5

/** An ffmpeg that leaves word that it was begun. */
function telling(): { ffmpeg: string; begun: string } {
  const [ffmpeg, begun] = ['ffmpeg-telling', 'begun'].map((name) => path.join(folder, name))
  writeFileSync(ffmpeg, `#!/bin/sh\necho >> '${begun}'\nexec ffmpeg "$@"\n`, { mode: 0o755 })
  return { ffmpeg, begun }
}

test('a recording that begins later is not opened before: of one that begins in ten seconds nothing is held until then', async () => {
  const file = makeMedia(path.join(folder, 'second.flac'), ['-f', 'lavfi', '-i', 'sine=1000:d=4:r=48000'])
  const facts = await probe(config, file)
  const place = { start: secondsToFlicks(10), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false } satisfies Placement
  const { ffmpeg, begun } = telling()
  const sound = new PlacedSound(
    { ...config, ffmpeg },
    { file: { id: 'f', name: 'second.flac', path: file, facts }, placement: place, apart: [{ stream: 0, channels: [0] }], inputs: [0] },
  )
  try {
    for (let from = 0; from + BLOCK < 10 * FILM_SOUND_RATE; from += BLOCK) {
      expect(await sound.whole(from, BLOCK)).toBeNull()
      const own = sound.blank(BLOCK)
      await sound.addTo(own, 0, from, BLOCK, null)
      expect(own[0].every((x) => x === 0)).toBe(true)
    }
    expect(existsSync(begun)).toBe(false)
    const from = 10 * FILM_SOUND_RATE
    const given = await sound.whole(from + BLOCK, BLOCK)
    expect(given?.(0, BLOCK)[0][12]).toBeCloseTo(Math.sin((2 * Math.PI * 1000 * (BLOCK + 12)) / FILM_SOUND_RATE) / 8, 3)
    expect(existsSync(begun)).toBe(true)
  } finally {
    sound.close()
  }
})

test('who waits for a disk that does not answer goes on as soon as it is closed', async () => {
  const file = makeMedia(path.join(folder, 'asleep.wav'), ['-f', 'lavfi', '-i', 'sine=1000:d=4:r=48000', '-ac', '2'])
  const facts = await probe(config, file)
  rmSync(file)
  execFileSync('mkfifo', [file])
  const place = { start: secondsToFlicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false } satisfies Placement
  const sound = new PlacedSound(config, { file: { id: 'f', name: 'asleep.wav', path: file, facts }, placement: place, apart: null, inputs: [0] })
  try {
    let gone = false
    const given = sound.whole(BLOCK, BLOCK).finally(() => (gone = true))
    await sleep(100)
    expect(gone).toBe(false)
    sound.close()
    expect(await given).toBeNull()
    expect(await sound.whole(2 * BLOCK, BLOCK)).toBeNull()
  } finally {
    closeSync(openSync(file, 'r+'))
  }
})

test.each([
  ['whole.flac', 48000, ['-c:a', 'flac', '-sample_fmt', 's32', '-bits_per_raw_sample', '24'], 2 ** -24],
  ['shorter.mka', 48000, ['-c:a', 'flac', '-sample_fmt', 's16'], 2 ** -24],
  ['other-rate.flac', 44_100, ['-c:a', 'flac'], 1e-3],
  ['with-losses.m4a', 48000, ['-c:a', 'aac'], 1e-3],
])('%s comes to the desk as ffmpeg decodes it', async (name, rate, coded, most) => {
  const file = makeMedia(path.join(folder, name), ['-f', 'lavfi', '-i', `anoisesrc=d=3:r=${rate}:a=1`, ...coded])
  const facts = await probe(config, file)
  const apart = [{ stream: 0, channels: [0] }]
  const read = execFileSync('ffmpeg', ['-v', 'error', '-i', file, '-ar', '48000', '-f', 'f64le', '-'], { maxBuffer: 2 ** 28 })
  const wanted = new Float64Array(read.buffer.slice(read.byteOffset, read.byteOffset + 8 * 2 * FILM_SOUND_RATE))
  const place = { start: secondsToFlicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false } satisfies Placement
  const sound = new PlacedSound(config, { file: { id: 'f', name, path: file, facts }, placement: place, apart, inputs: [0] })
  try {
    const own = sound.blank(FILM_SOUND_RATE)
    await sound.addTo(own, 0, FILM_SOUND_RATE, FILM_SOUND_RATE, null)
    const off = own[0].reduce((most, x, n) => Math.max(most, Math.abs(x - wanted[FILM_SOUND_RATE + n])), 0)
    expect(off).toBeLessThan(most)
    expect(own[0].some((x) => Math.abs(x) > 0.9)).toBe(true)
  } finally {
    sound.close()
  }
})

/** A recorder's file of five streams that begin and end at times of their own. */
function fiveStreams(name: string, codec: string): string {
  const lies = [
    [0, 9],
    [0, 7.5],
    [0.5, 8],
    [0, 9],
    [1.25, 7],
  ]
  const inputs = lies.flatMap(([, seconds], n) => ['-f', 'lavfi', '-i', `anoisesrc=seed=${n + 1}:d=${seconds}:r=48000:a=0.3`])
  const pads = lies.map(([later], n) => `[${n}:a]asetpts=PTS+${later}/TB,aformat=channel_layouts=${n === 3 ? 'stereo' : 'mono'}[s${n}]`)
  const maps = lies.flatMap((_, n) => ['-map', `[s${n}]`])
  return makeMedia(path.join(folder, name), [...inputs, '-filter_complex', pads.join(';'), ...maps, '-c:a', codec])
}

test.each([
  ['five.mov', 'pcm_s24le'],
  ['five.mka', 'flac'],
  ['five.mp4', 'aac'],
])('%s: streams that one decoder reads together are each what it is by itself, from any time on, whenever they begin and end', async (name, codec) => {
  const file = fiveStreams(name, codec)
  const facts = await probe(config, file)
  const placement = { start: secondsToFlicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false } satisfies Placement
  const heard = (apart: NonNullable<Heard['apart']>): PlacedSound =>
    new PlacedSound(config, { file: { id: 'f', name, path: file, facts }, placement, apart, inputs: apart.flatMap((a) => a.channels) })
  const aparts = [0, 1, 2, 3, 4].map((stream) => ({ stream, channels: stream === 3 ? [0, 1] : [0] }))
  const together = heard(aparts)
  const each = aparts.map((a) => heard([a]))
  try {
    expect(together.channels).toBe(6)
    for (const seconds of [0, 0.2, 4, 6.9, 8.5, 1]) {
      const from = seconds * FILM_SOUND_RATE
      const [own, ...alone] = [together, ...each].map((sound) => ({ sound, planes: sound.blank(BLOCK) }))
      for (const { sound, planes } of [own, ...alone]) await sound.addTo(planes, 0, from, BLOCK, null)
      expect(own.planes.map((p) => [...p])).toEqual(alone.flatMap(({ planes }) => planes.map((p) => [...p])))
    }
    const level = (plane: Float32Array) => Math.sqrt(plane.reduce((sum, x) => sum + x * x, 0) / plane.length)
    const at = async (seconds: number) => {
      const planes = together.blank(BLOCK)
      await together.addTo(planes, 0, seconds * FILM_SOUND_RATE, BLOCK, null)
      return planes.map((p) => level(p) > 0.01)
    }
    expect(await at(0.2)).toEqual([true, true, false, true, true, false])
    expect(await at(8.6)).toEqual([true, false, false, true, true, false])
  } finally {
    for (const sound of [together, ...each]) sound.close()
  }
})
