import { execFileSync } from 'node:child_process'
import path from 'node:path'
import { channelsOf } from '@pendolo/core/mix'
import { applyEdits, type Edit, emptyProject } from '@pendolo/core/project'
import { probe } from '../media/probe.ts'
import { showFolder, testConfig } from '../testing.ts'
import { mixRuns } from './mix.ts'
import { FILM_SOUND_RATE } from './placed-sound.ts'

const config = testConfig()
const folder = showFolder(config)
const SECONDS = 1.5
const LEVEL = 0.1
/** Tone of each channel: whole numbers of hertz, so that none is heard in another's measure over a second. */
const toneOf = (channel: number) => 200 + 37 * channel
/** The second that is measured, frames. */
const FROM = FILM_SOUND_RATE / 5

interface Kind {
  readonly name: string
  readonly rate: number
  /** Channels of each stream. */
  readonly streams: readonly number[]
  readonly layout?: string
  readonly codec: readonly string[]
}

/** A file in which each channel has its own tone, counted over all streams. */
function made({ name, rate, streams, layout, codec }: Kind): string {
  const file = path.join(folder, name)
  const firsts = streams.map((_, s) => streams.slice(0, s).reduce((sum, n) => sum + n, 0))
  const tone = (c: number) => ['-f', 'lavfi', '-i', `aevalsrc='${LEVEL}*sin(2*PI*${toneOf(c)}*t)':s=${rate}:d=${SECONDS}`]
  const inputs = streams.flatMap((count, s) => Array.from({ length: count }, (_, c) => tone(firsts[s] + c)).flat())
  const graph = streams.map((count, s) => {
    const own = Array.from({ length: count }, (_, c) => `[${firsts[s] + c}:a]`).join('')
    const named = layout ? `,channelmap=${Array.from({ length: count }, (_, c) => c).join('|')}:channel_layout=${layout}` : ''
    return count === 1 ? `${own}anull[s${s}]` : `${own}amerge=inputs=${count}${named}[s${s}]`
  })
  const maps = streams.flatMap((_, s) => ['-map', `[s${s}]`])
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...inputs, '-filter_complex', graph.join(';'), ...maps, ...codec, file])
  return file
}

async function heard(file: string, edits: Edit[]): Promise<readonly Float32Array[]> {
  const facts = await probe(config, file)
  const { doc } = applyEdits(emptyProject('cut'), [
    { type: 'addClips', angles: [], clips: [{ id: 'm', fileId: 'f', angleId: null, state: 'in' }] },
    { type: 'setMaster', clipId: 'm' },
    ...edits,
  ])
  const all: Buffer[] = []
  const run = { begins: 0, ends: FROM + FILM_SOUND_RATE, from: 0, into: 0, out: 0 }
  const files = new Map([['f', { id: 'f', name: path.basename(file), path: file, facts }]])
  await mixRuns(config, doc, files, [run], async (bytes) => void all.push(Buffer.from(bytes)), new AbortController().signal)
  const bytes = Buffer.concat(all)
  const samples = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
  return [0, 1].map((side) => Float32Array.from({ length: FILM_SOUND_RATE }, (_, n) => samples[2 * (FROM + n) + side]))
}

/** How high a tone is over the measured second. */
function height(samples: Float32Array, hz: number): number {
  let [a, b] = [0, 0]
  for (let n = 0; n < samples.length; n++) {
    a += samples[n] * Math.cos((2 * Math.PI * hz * n) / FILM_SOUND_RATE)
    b += samples[n] * Math.sin((2 * Math.PI * hz * n) / FILM_SOUND_RATE)
  }
  return Math.hypot(a, b) / (samples.length / 2)
}

const wav = (name: string, rate: number, channels: number, bits: string): Kind => ({ name, rate, streams: [channels], codec: ['-c:a', `pcm_${bits}`] })

describe('any channel of any file is heard by itself, at its own level, and nothing of the others', () => {
  test.each([
    wav('seventeen.wav', 48000, 17, 's16le'),
    wav('eighteen.wav', 44100, 18, 's24le'),
    wav('sixty-four.wav', 48000, 64, 's24le'),
    wav('floats.wav', 96000, 6, 'f32le'),
    wav('thirty-two-bits.wav', 192_000, 4, 's32le'),
    wav('telephone.wav', 8000, 3, 's16le'),
    { name: 'several.mov', rate: 48000, streams: [2, 1, 4], codec: ['-c:a', 'pcm_s24le'] },
    { name: 'several.mka', rate: 44100, streams: [1, 2], codec: ['-c:a', 'flac'] },
  ])('$name', async (kind) => {
    const file = made(kind)
    const { audio } = await probe(config, file)
    const channels = channelsOf(audio as NonNullable<typeof audio>)
    const count = kind.streams.reduce((sum, n) => sum + n, 0)
    expect(channels).toHaveLength(count)
    for (const picked of [0, Math.floor(count / 2), count - 1]) {
      const [left, right] = await heard(
        file,
        channels.map(
          ({ key }, c): Edit => ({ type: 'channel', clipId: 'm', channel: key, change: { on: c === picked, layout: c === picked ? 'left' : 'middle' } }),
        ),
      )
      const { left: l, right: r } = channels[picked]
      const own = Math.max(l, r) || 1
      expect(20 * Math.log10(height(left, toneOf(picked)) / (LEVEL * own))).toBeCloseTo(0, 1)
      expect(right.every((x) => x === 0)).toBe(true)
      for (const other of [picked - 1, picked + 1].filter((c) => c >= 0 && c < count)) expect(height(left, toneOf(other))).toBeLessThan(LEVEL / 1000)
    }
  })
})

describe('what has loudspeakers is folded by the standard’s matrix, at any rate', () => {
  const H = Math.SQRT1_2
  /** What each kind of loudspeaker gives left and right. */
  const gives: Readonly<Record<string, readonly [number, number]>> = {
    M: [1, 1],
    L: [1, 0],
    R: [0, 1],
    C: [H, H],
    '-': [0, 0],
    l: [H, 0],
    r: [0, H],
    b: [0.5, 0.5],
  }
  test.each([
    ['mono', 8000, 'pcm_s16le', 'wav', 'M'],
    ['mono', 48_000, 'pcm_s24le', 'wav', 'M'],
    ['stereo', 48_000, 'pcm_s16le', 'wav', 'LR'],
    ['stereo', 48_000, 'pcm_f32le', 'wav', 'LR'],
    ['stereo', 11_025, 'pcm_u8', 'wav', 'LR'],
    ['stereo', 192_000, 'flac', 'flac', 'LR'],
    ['2.1', 22_050, 'pcm_s16le', 'wav', 'LR-'],
    ['3.0', 32_000, 'pcm_s24le', 'wav', 'LRC'],
    ['4.0', 44_100, 'pcm_s32le', 'wav', 'LRCb'],
    ['quad', 88_200, 'pcm_f32le', 'wav', 'LRlr'],
    ['5.0', 48_000, 'flac', 'flac', 'LRClr'],
    ['5.1', 48_000, 'pcm_s24le', 'wav', 'LRC-lr'],
    ['5.1', 48_000, 'aac', 'm4a', 'LRC-lr'],
    ['6.1', 96_000, 'pcm_s24le', 'wav', 'LRC-blr'],
    ['7.1', 48_000, 'pcm_f64le', 'wav', 'LRC-lrlr'],
  ] as const)('%s at %d Hz, %s', async (layout, rate, codec, ending, speakers) => {
    const file = made({ name: `${layout}-${rate}-${codec}.${ending}`, rate, streams: [speakers.length], layout, codec: ['-c:a', codec] })
    const [left, right] = await heard(file, [])
    for (const [c, speaker] of [...speakers].entries()) {
      const [l, r] = gives[speaker]
      // Eight bits and what is coded with losses come within a hundredth.
      expect(Math.abs(height(left, toneOf(c)) / LEVEL - l)).toBeLessThan(0.01)
      expect(Math.abs(height(right, toneOf(c)) / LEVEL - r)).toBeLessThan(0.01)
    }
  })
})
