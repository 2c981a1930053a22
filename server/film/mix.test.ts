import { execFileSync } from 'node:child_process'
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { layOut } from '@pendolo/core/formats'
import { applyEdits, type Edit, emptyProject, type FileFacts } from '@pendolo/core/project'
import { secondsToFlicks } from '@pendolo/core/time'
import { exchangeFiles } from '../jobs/workshop.ts'
import { probe } from '../media/probe.ts'
import { makeMedia, showFolder, testConfig } from '../testing.ts'
import { joinedMaster } from './joined.ts'
import { mixSound } from './mix.ts'
import { FILM_SOUND_RATE } from './placed-sound.ts'

const config = testConfig()
const folder = showFolder(config)
const signal = new AbortController().signal

/** A click of height 0.5 at a time, in a mono file of three seconds. */
const click = (name: string, seconds: number, rate = 48000) =>
  makeMedia(path.join(folder, name), ['-f', 'lavfi', '-i', `aevalsrc='if(eq(n,${Math.round(seconds * rate)}),0.5,0)':s=${rate}:d=3`, '-c:a', 'pcm_f32le'])

async function mix(edits: Edit[], gone?: string): Promise<Float32Array> {
  const rows = await Promise.all(
    [click('master.wav', 0.5), click('camera.wav', 1)].map(async (file, i) => ({
      id: `f${i}`,
      projectId: 'p',
      path: file,
      name: path.basename(file),
      size: 0,
      contentKey: '',
      facts: await probe(config, file),
      notes: [],
    })),
  )
  const place = (start: number, rate: number) => ({
    start: secondsToFlicks(start),
    rate,
    method: 'sound' as const,
    verdict: 'sure' as const,
    confidence: 1,
    why: [],
    locked: false,
  })
  const { doc } = applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: [{ id: 'a', name: 'A', hue: 0, framing: 'fit' }],
      clips: [
        { id: 'm', fileId: 'f0', angleId: null, state: 'in' },
        { id: 'c', fileId: 'f1', angleId: 'a', state: 'in' },
      ],
    },
    { type: 'setMaster', clipId: 'm' },
    { type: 'place', by: 'search', placements: { c: place(0.75, 1) }, loose: {} },
    ...edits,
  ])
  if (gone) rmSync(path.join(folder, gone))
  const files = exchangeFiles(rows)
  const out = path.join(folder, 'mix.f32')
  const frames = await mixSound(config, layOut('Mix', doc, files), files, out, signal)
  const bytes = readFileSync(out)
  const samples = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
  expect(samples.length).toBe(frames * 2)
  return samples.filter((_, i) => i % 2 === 0)
}
const strip = (clipId: string, change: Extract<Edit, { type: 'strip' }>['change']): Edit => ({ type: 'strip', clipId, change })
type ChannelChange = Extract<Edit, { type: 'channel' }>['change']
const at = (seconds: number) => Math.round(seconds * FILM_SOUND_RATE)

/** What a film of one recording alone sounds like, which is its master: interleaved stereo. */
async function alone(file: string, edits: Edit[], change: (facts: FileFacts) => FileFacts = (facts) => facts): Promise<Float32Array> {
  const row = { id: 'f', projectId: 'p', path: file, name: path.basename(file), size: 0, contentKey: '', facts: change(await probe(config, file)), notes: [] }
  const { doc } = applyEdits(emptyProject('cut'), [
    { type: 'addClips', angles: [], clips: [{ id: 'm', fileId: 'f', angleId: null, state: 'in' }] },
    { type: 'setMaster', clipId: 'm' },
    ...edits,
  ])
  const files = exchangeFiles([row])
  const out = path.join(folder, 'alone.f32')
  const frames = await mixSound(config, layOut('Alone', doc, files), files, out, signal)
  const bytes = readFileSync(out)
  const samples = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
  expect(samples.length).toBe(frames * 2)
  return samples
}

/** As a recorder's that says nothing of where its microphones stand. */
const unplaced = (facts: FileFacts): FileFacts => ({ ...facts, audio: facts.audio && { ...facts.audio, layout: '' } })

/** Half a second of a recording with channels as they were said to be: how loud 400 Hz, 1000 Hz and 2500 Hz are left and right. */
async function heardAs(file: string, said: Record<string, ChannelChange>) {
  const edits = Object.entries(said).map(([channel, change]): Edit => ({ type: 'channel', clipId: 'm', channel, change }))
  const samples = await alone(file, edits, unplaced)
  const level = (hz: number, side: number) => {
    let [a, b] = [0, 0]
    for (let n = 0; n < 24000; n++) {
      a += samples[2 * n + side] * Math.cos((2 * Math.PI * hz * n) / 48000)
      b += samples[2 * n + side] * Math.sin((2 * Math.PI * hz * n) / 48000)
    }
    return Math.round((Math.hypot(a, b) / 12000) * 100) / 100
  }
  return [400, 1000, 2500].map((hz) => [level(hz, 0), level(hz, 1)])
}

describe('channels as they were said to be', () => {
  const tone = (hz: number) => `0.2*sin(2*PI*${hz}*t)`
  const recorder = () =>
    makeMedia(path.join(folder, 'three.wav'), ['-f', 'lavfi', '-i', `aevalsrc='${[400, 1000, 2500].map(tone).join('|')}':s=48000:d=1`, '-c:a', 'pcm_s24le'])
  const level = Math.round(20 / Math.sqrt(3)) / 100

  test('some are off, others at a side, one turned', async () => {
    expect(await heardAs(recorder(), { '0.0': { on: false }, '0.1': { layout: 'left' }, '0.2': { turned: true } })).toEqual([
      [0, 0],
      [expect.closeTo(level, 1), 0],
      [expect.closeTo(level, 1), expect.closeTo(level, 1)],
    ])
  })

  test('all off is silence as long as the recording', async () => {
    expect(await heardAs(recorder(), { '0.0': { on: false }, '0.1': { on: false }, '0.2': { on: false } })).toEqual(Array(3).fill([0, 0]))
  })

  test('a second stream that was switched on is heard with the first, neither louder nor softer', async () => {
    const streams = [400, 1000].flatMap((hz) => ['-f', 'lavfi', '-i', `aevalsrc='${tone(hz)}':s=48000:d=1`])
    const file = makeMedia(path.join(folder, 'streams.mov'), [...streams, '-map', '0:a', '-map', '1:a', '-c:a', 'pcm_s16le'])
    expect((await heardAs(file, {}))[1]).toEqual([0, 0])
    expect((await heardAs(file, { '1.0': { on: true } })).slice(0, 2)).toEqual([
      [0.2, 0.2],
      [0.2, 0.2],
    ])
    expect((await heardAs(file, { '0.0': { on: false }, '1.0': { on: true, layout: 'right' } })).slice(0, 2)).toEqual([
      [0, 0],
      [0, 0.2],
    ])
  })
})

describe('strips', () => {
  /** Three microphones, each with a tone of its own, a second of each. */
  const three = () =>
    makeMedia(path.join(folder, 'mics.wav'), [
      '-f',
      'lavfi',
      '-i',
      `aevalsrc='${[400, 1000, 2500].map((hz) => `0.2*sin(2*PI*${hz}*t)`).join('|')}':s=48000:d=3`,
      '-c:a',
      'pcm_f32le',
    ])
  const recorder = (facts: FileFacts) => ({ ...facts, audio: facts.audio && { ...facts.audio, layout: '' } })
  const own = (channel: string, change: Extract<Edit, { type: 'strip' }>['change']): Edit => ({ type: 'strip', clipId: 'm', channel, change })
  /** How loud a tone is left and right over half a second. */
  const tone = (samples: Float32Array, hz: number, from: number, length = 0.5) =>
    [0, 1].map((side) => {
      let [a, b] = [0, 0]
      for (let n = at(from); n < at(from + length); n++) {
        a += samples[2 * n + side] * Math.cos((2 * Math.PI * hz * n) / FILM_SOUND_RATE)
        b += samples[2 * n + side] * Math.sin((2 * Math.PI * hz * n) / FILM_SOUND_RATE)
      }
      return Math.hypot(a, b) / (at(length) / 2)
    })
  const level = 0.2 / Math.sqrt(3)

  test('of channels place, filter and raise each by itself; one that goes to a group goes through it', async () => {
    const samples = await alone(
      three(),
      [
        own('0.0', { pan: -1 }),
        own('0.1', { gainDb: -20 }),
        { type: 'group', groupId: 'music', name: 'Music', change: { highPassHz: 2000, gainDb: 6 } },
        own('0.2', { group: 'music' }),
      ],
      recorder,
    )
    expect(tone(samples, 400, 1)).toEqual([expect.closeTo(level, 3), expect.closeTo(0, 4)])
    expect(tone(samples, 1000, 1)).toEqual([expect.closeTo(level / 10, 3), expect.closeTo(level / 10, 3)])
    const through = tone(samples, 2500, 1)[0] / level
    // Two octaves and a half below nothing is lost: only the low ones would be.
    expect(20 * Math.log10(through)).toBeCloseTo(6 - 0.7, 0)
  })

  test.each([
    ['pcm_s16le', 20],
    ['pcm_s24le', 20],
    ['pcm_s24le', 18],
    ['pcm_s32le', 5],
    ['pcm_f32le', 20],
  ])('channels of a wave file of %s, %i of them, are read as they lie, and are to the sample what a decoder gives, from any time on', async (codec, count) => {
    const raw = path.join(folder, 'many.raw')
    writeFileSync(raw, Buffer.from(Float32Array.from({ length: count * 4 * FILM_SOUND_RATE }, (_, i) => (((i * 7919) % 40_013) - 20_000) / 300_007).buffer))
    const made = (name: string) => makeMedia(path.join(folder, name), ['-f', 'f32le', '-ar', '48000', '-ac', String(count), '-i', raw, '-c:a', codec])
    const edits: Edit[] = [
      // One that nobody hears stands between those that are.
      { type: 'channel', clipId: 'm', channel: '0.3', change: { on: false } },
      ...Array.from({ length: count }, (_, c) => own(`0.${c}`, { gainDb: -c, pan: (c % 5) / 2 - 1 })),
      { type: 'keep', start: secondsToFlicks(2.7), end: secondsToFlicks(3.5) },
    ]
    const [asItLies, decoded] = [await alone(made('many.wav'), edits, unplaced), await alone(made('many.mka'), edits, unplaced)]
    expect(asItLies.length).toBe(decoded.length)
    expect(Math.max(...asItLies.slice(0, 4000).map(Math.abs))).toBeGreaterThan(0.02)
    expect(asItLies.reduce((most, x, n) => Math.max(most, Math.abs(x - decoded[n])), 0)).toBeLessThan(1e-6)
  })

  test('a touch on one microphone is silenced while another is raised; neither edge clicks', async () => {
    const range = (channel: string, on: boolean): Edit => ({
      type: 'mixRanges',
      ranges: [{ id: `r${channel}`, clipId: 'm', channel, from: secondsToFlicks(1), to: secondsToFlicks(2), on }],
    })
    const samples = await alone(
      three(),
      [
        range('0.0', false),
        {
          type: 'envelope',
          clipId: 'm',
          channel: '0.1',
          points: [
            { time: secondsToFlicks(0.9), gainDb: 0 },
            { time: secondsToFlicks(1), gainDb: 6 },
            { time: secondsToFlicks(2), gainDb: 6 },
            { time: secondsToFlicks(2.1), gainDb: 0 },
          ],
        },
      ],
      recorder,
    )
    expect(tone(samples, 400, 0.3)[0]).toBeCloseTo(level, 3)
    expect(tone(samples, 400, 1.1)[0]).toBeLessThan(level / 1000)
    expect(tone(samples, 1000, 1.1)[0] / level).toBeCloseTo(10 ** (6 / 20), 2)
    expect(tone(samples, 400, 2.3)[0]).toBeCloseTo(level, 3)
    expect(tone(samples, 2500, 1.1)[0]).toBeCloseTo(level, 3)
  })

  test('a microphone that is off is heard where a range says so', async () => {
    const samples = await alone(
      three(),
      [
        { type: 'channel', clipId: 'm', channel: '0.2', change: { on: false } },
        { type: 'mixRanges', ranges: [{ id: 'r', clipId: 'm', channel: '0.2', from: secondsToFlicks(1), to: secondsToFlicks(2), on: true }] },
      ],
      recorder,
    )
    expect(tone(samples, 2500, 0.3)[0]).toBeCloseTo(0, 5)
    expect(tone(samples, 2500, 1.2)[0]).toBeCloseTo(level, 3)
  })
})

describe('the film’s sound', () => {
  test('of a camera that lost time is right on both sides of the loss, and silent in it', async () => {
    const placed = { start: secondsToFlicks(0.75), rate: 1, method: 'sound' as const, verdict: 'check' as const, confidence: 1, why: [], locked: false }
    const heard = async (by: number, jump: number) =>
      mix([
        { type: 'place', by: 'asked', placements: { c: { ...placed, jumps: [{ at: secondsToFlicks(jump), by: secondsToFlicks(by) }] } }, loose: {} },
        strip('c', { on: true }),
        strip('m', { on: false }),
      ])
    const loud = (samples: Float32Array) => [...samples.keys()].filter((i) => Math.abs(samples[i]) > 0.1)
    // Its click is at its second 1: before a jump at 1.2 s it stays, after one at 0.8 s it comes later or earlier by the jump.
    expect(loud(await heard(0.3, 1.2))).toEqual([at(1.75)])
    expect(loud(await heard(0.3, 0.8))).toEqual([at(2.05)])
    expect(loud(await heard(-0.1, 0.8))).toEqual([at(1.65)])
    // Doubled: the click was recorded before the jump and lies under what came again.
    expect(loud(await heard(-0.3, 1.2))).toEqual([])
  })

  test('is the master alone, sample for sample, unless more is asked for', async () => {
    const left = await mix([])
    expect(left.length).toBe(3 * FILM_SOUND_RATE)
    expect(left.findIndex((x) => Math.abs(x) > 0.01)).toBe(at(0.5))
    expect(left.filter((x) => Math.abs(x) > 0.01)).toHaveLength(1)
  })

  test('has camera sound where the clip was placed, at its level', async () => {
    const left = await mix([strip('c', { on: true, gainDb: -6 })])
    const master = left[at(0.5)]
    expect(left[at(1.75)] / master).toBeCloseTo(10 ** (-6 / 20), 3)
    // A mono file keeps its level on both sides.
    expect(master).toBeCloseTo(0.5, 5)
  })

  test('follows the clock of a drifting camera', async () => {
    const place = { start: secondsToFlicks(0.75), rate: 1.0002, method: 'sound' as const, verdict: 'sure' as const, confidence: 1, why: [], locked: false }
    const left = await mix([{ type: 'place', by: 'search', placements: { c: place }, loose: {} }, strip('c', { on: true }), strip('m', { mute: true })])
    const peak = left.reduce((best, x, i) => (Math.abs(x) > Math.abs(left[best]) ? i : best), 0)
    expect(Math.abs(peak - at(0.75 + 1.0002))).toBeLessThanOrEqual(1)
  })

  test('begins before the master with what a camera heard then, and is silent after all of it', async () => {
    const early = { start: secondsToFlicks(-1.5), rate: 1, method: 'through' as const, verdict: 'sure' as const, confidence: 1, why: [], locked: false }
    const left = await mix([
      { type: 'place', by: 'search', placements: { c: early }, loose: {} },
      { type: 'keep', start: secondsToFlicks(-1), end: secondsToFlicks(4) },
      strip('c', { on: true }),
    ])
    expect(left).toHaveLength(5 * FILM_SOUND_RATE)
    // The camera's click half a second before the master begins, the master's own half a second after.
    expect([...left.keys()].filter((i) => Math.abs(left[i]) > 0.1)).toEqual([at(0.5), at(1.5)])
  })

  test('is not made without a sound that is to be heard; one that is off is not missed', async () => {
    await expect(mix([], 'master.wav')).rejects.toThrow(/master\.wav is missing; find it again in Gather/)
    await expect(mix([strip('c', { on: true })], 'camera.wav')).rejects.toThrow(/camera\.wav is missing/)
    expect((await mix([], 'camera.wav'))[at(0.5)]).not.toBe(0)
  })

  test('mute, solo and trims count', async () => {
    expect((await mix([strip('m', { mute: true })])).every((x) => x === 0)).toBe(true)
    const solo = await mix([strip('c', { on: true, solo: true })])
    expect(solo[at(0.5)]).toBe(0)
    expect(Math.abs(solo[at(1.75)])).toBeGreaterThan(0.3)
    const trimmed = await mix([{ type: 'keep', start: secondsToFlicks(0.2), end: secondsToFlicks(1) }])
    expect(trimmed.length).toBe(at(0.8))
    expect(Math.abs(trimmed[at(0.3)])).toBeGreaterThan(0.3)
  })

  describe('that begins far in a recording', () => {
    const NOISE = ['-f', 'lavfi', '-i', 'anoisesrc=d=48:seed=7:a=0.4:r=44100', '-f', 'lavfi', '-i', 'anoisesrc=d=48:seed=8:a=0.4:r=44100']
    const made = (name: string, codec: string[]) =>
      makeMedia(path.join(folder, name), [...NOISE, '-filter_complex', '[0][1]join=inputs=2:channel_layout=stereo', ...codec])

    test.each([
      ['far.wav', ['-c:a', 'pcm_s24le']],
      ['far.flac', ['-c:a', 'flac']],
      ['far.mov', ['-c:a', 'pcm_s16le']],
      ['far.m4a', ['-c:a', 'aac', '-b:a', '192k']],
      ['far.mkv', ['-c:a', 'libopus', '-b:a', '128k', '-ar', '48000']],
      ['far.mp3', ['-c:a', 'libmp3lame', '-b:a', '192k']],
      ['far.ts', ['-c:a', 'aac', '-b:a', '192k']],
    ])('is what reading all of %s gives there, and little of it is held', async (name, codec) => {
      const file = made(name, codec)
      const row = { id: 'f', projectId: 'p', path: file, name, size: 0, contentKey: '', facts: await probe(config, file), notes: [] }
      const { doc } = applyEdits(emptyProject('cut'), [
        { type: 'addClips', angles: [], clips: [{ id: 'm', fileId: 'f', angleId: null, state: 'in' }] },
        { type: 'setMaster', clipId: 'm' },
      ])
      const files = exchangeFiles([row])
      const mixed = async (from: number, to: number, ...leftOut: [number, number][]) => {
        const edits = leftOut.map(([a, b]) => ({ type: 'leaveOut' as const, cutId: 'cut', from: secondsToFlicks(a), to: secondsToFlicks(b) }))
        const keep = { type: 'keep' as const, start: secondsToFlicks(from), end: secondsToFlicks(to) }
        const out = path.join(folder, 'far.f32')
        await mixSound(config, layOut('Far', applyEdits(doc, [keep, ...edits]).doc, files), files, out, signal)
        const bytes = readFileSync(out)
        return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
      }
      const whole = await mixed(0, 44)
      const differs = (part: Float32Array, from: number, count: number, of = from) => {
        let most = 0
        for (let i = 0; i < 2 * count; i++) most = Math.max(most, Math.abs(part[2 * at(from) + i] - whole[2 * at(of) + i]))
        return most
      }
      expect(whole.some((x) => Math.abs(x) > 0.2)).toBe(true)
      const late = await mixed(33.4, 44)
      expect(differs(late, 0, late.length / 2, 33.4)).toBeLessThan(1e-4)
      // Over a removed middle that is not read: beside the fade of the join it is the same too.
      const over = await mixed(0, 44, [6, 36])
      expect(differs(over, 0, at(5.9), 0)).toBeLessThan(1e-6)
      expect(differs(over, 6.1, at(7.5), 36.1)).toBeLessThan(1e-4)
    })
  })

  /** A master whose samples say where they are: a slow ramp of 3 s from −1 to 1. */
  const ramp = () => makeMedia(path.join(folder, 'ramp.wav'), ['-f', 'lavfi', '-i', 'aevalsrc=-1+2*n/144000:s=48000:d=3', '-c:a', 'pcm_f32le'])
  const rampMix = async (edits: Edit[]): Promise<Float32Array> => (await alone(ramp(), edits)).filter((_, i) => i % 2 === 0)
  const value = (masterSample: number) => -1 + (2 * masterSample) / 144_000

  test('of a programme with a removed middle is exact to the sample on both sides of the join, and changes over within the fade', async () => {
    const mixed = await rampMix([{ type: 'leaveOut', cutId: 'cut', from: secondsToFlicks(1), to: secondsToFlicks(2) }])
    expect(mixed.length).toBe(2 * FILM_SOUND_RATE)
    // Five milliseconds of fade, half of it on each side.
    for (const n of [0, 1000, 47_879]) expect(mixed[n]).toBeCloseTo(value(n), 6)
    for (const n of [48_120, 60_000, 95_999]) expect(mixed[n]).toBeCloseTo(value(n + 48_000), 6)
    const over = mixed.slice(47_880, 48_120)
    for (let i = 1; i < over.length; i++) expect(over[i]).toBeGreaterThan(over[i - 1])
    expect(mixed[48_000]).toBeCloseTo((value(48_000) + value(96_000)) / 2, 2)
  })

  test('of pieces that go back, of a card and of a long fade is what each of them has', async () => {
    const piece = (id: string, from: number, to: number, fade?: number): Edit => ({
      type: 'addPiece',
      cutId: 'cut',
      before: null,
      piece: { id, kind: 'range', from: secondsToFlicks(from), to: secondsToFlicks(to), ...(fade && { fade: secondsToFlicks(fade) }) },
    })
    const mixed = await rampMix([
      { type: 'keep', start: secondsToFlicks(2), end: secondsToFlicks(3) },
      { type: 'addPiece', cutId: 'cut', before: null, piece: { id: 'card', kind: 'card', length: secondsToFlicks(0.4) } },
      piece('first', 0, 1),
      piece('again', 0.2, 1.2, 0.2),
    ])
    expect(mixed.length).toBe(3.4 * FILM_SOUND_RATE)
    expect(mixed[at(0.5)]).toBeCloseTo(value(at(2.5)), 6)
    expect(mixed[at(1.2)]).toBe(0)
    expect(mixed[at(1.9)]).toBeCloseTo(value(at(0.5)), 6)
    expect(mixed[at(2.25)]).toBeCloseTo(value(at(0.85)), 6)
    expect(mixed[at(2.6)]).toBeCloseTo(value(at(0.4)), 6)
    // In the middle of the long fade half of each is heard.
    expect(mixed[at(2.4)]).toBeCloseTo((value(at(1)) + value(at(0.2))) / 2, 3)
  })

  test('of two recorders as one master is the first, then the second, and never both nor none', async () => {
    const tone = (name: string, expr: string) => makeMedia(path.join(folder, name), ['-f', 'lavfi', '-i', `aevalsrc=${expr}:s=48000:d=3`, '-c:a', 'pcm_f32le'])
    const rows = await Promise.all(
      [tone('one.wav', '0.5'), tone('two.wav', '0.25')].map(async (file, i) => ({
        id: `f${i}`,
        projectId: 'p',
        path: file,
        name: path.basename(file),
        size: 0,
        contentKey: `key-${i}`,
        facts: await probe(config, file),
        notes: [],
      })),
    )
    const placed = { start: secondsToFlicks(2), rate: 1, method: 'sound' as const, verdict: 'sure' as const, confidence: 1, why: [], locked: false }
    const { doc } = applyEdits(emptyProject('cut'), [
      { type: 'addClips', angles: [], clips: ['m', 'n'].map((id, i) => ({ id, fileId: `f${i}`, angleId: null, state: 'in' as const })) },
      { type: 'setMaster', clipId: 'm' },
      { type: 'place', by: 'search', placements: { n: placed }, loose: {} },
      { type: 'masters', clipIds: ['m', 'n'], join: 'crossfade', fade: secondsToFlicks(0.2) },
    ])
    const files = exchangeFiles(rows)
    const out = path.join(folder, 'two.f32')
    // The film lasts as long as the two together.
    expect(await mixSound(config, layOut('Two', doc, files), files, out, signal)).toBe(5 * FILM_SOUND_RATE)
    const bytes = readFileSync(out)
    const left = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length)).filter((_, i) => i % 2 === 0)
    const level = (seconds: number) => left[at(seconds)]
    expect([1, 2.2, 2.5, 2.8, 4].map((s) => Math.round(level(s) * 1000) / 1000)).toEqual([0.5, 0.5, 0.375, 0.25, 0.25])
    expect(left.every((x) => x > 0.24)).toBe(true)

    const joined = await joinedMaster(config, doc, files, new Map(rows.map((r) => [r.id, r.contentKey])), signal)
    expect(joined).toMatchObject({ startSeconds: 0, facts: { durationSeconds: 5 } })
    const heard = execFileSync('ffmpeg', ['-v', 'error', '-i', joined.path, '-f', 'f32le', '-ac', '2', 'pipe:1'], { maxBuffer: 2 ** 27 })
    expect(heard.length).toBe(5 * FILM_SOUND_RATE * 8)
    for (const s of [0.5, 2.5, 4.5]) expect(heard.readFloatLE(at(s) * 8)).toBeCloseTo(left[at(s)], 4)
    // The same again is taken as it is.
    expect((await joinedMaster(config, doc, files, new Map(rows.map((r) => [r.id, r.contentKey])), AbortSignal.abort())).path).toBe(joined.path)
  })
})
