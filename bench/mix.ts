import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { channelKey, type LoudnessMeter } from '../core/mix/index.ts'
import { applyEdits, type Edit, emptyProject, type FileFacts, type Placement, type StripChange } from '../core/project/index.ts'
import { secondsToFlicks } from '../core/time/index.ts'
import { type Config, makeConfig } from '../server/config.ts'
import { filmMeter } from '../server/film/loudness.ts'
import { mixRuns } from '../server/film/mix.ts'
import { FILM_SOUND_RATE } from '../server/film/placed-sound.ts'
import { probe } from '../server/media/probe.ts'

const CHANNELS = 64
/** Channels of a stream where they are coded without losses: it has no more. */
const TOGETHER = 8
const SECONDS = 120
const PLACE: Placement = { start: secondsToFlicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false }
/** Blocks of the material, frames. */
const BLOCK = 4800

const NOISE = Int16Array.from({ length: 65_521 }, () => Math.round(6000 * (Math.random() - 0.5)))
const sampleAt = (frame: number, channel: number) => NOISE[(frame * 3 + channel * 977) % NOISE.length]

/** A recorder's file of many channels, 24 bit: quiet noise with bursts, another one in each. */
async function material(file: string): Promise<void> {
  mkdirSync(path.dirname(file), { recursive: true })
  const raw = ['-f', 's16le', '-ar', String(FILM_SOUND_RATE), '-ac', String(CHANNELS), '-i', 'pipe:0']
  const child = spawn('ffmpeg', ['-v', 'error', '-y', ...raw, '-c:a', 'pcm_s24le', '-rf64', 'auto', file], { stdio: ['pipe', 'inherit', 'inherit'] })
  for (let from = 0; from < SECONDS * FILM_SOUND_RATE; from += BLOCK) {
    const block = new Int16Array(BLOCK * CHANNELS)
    for (let n = 0; n < BLOCK; n++) for (let c = 0; c < CHANNELS; c++) block[n * CHANNELS + c] = sampleAt(from + n, c)
    if (!child.stdin.write(Buffer.from(block.buffer))) await once(child.stdin, 'drain')
  }
  child.stdin.end()
  await once(child, 'exit')
}

/** The same in eight streams of FLAC in one file. */
async function inStreams(from: string, file: string): Promise<void> {
  const parts = Array.from({ length: CHANNELS / TOGETHER }, (_, s) => s)
  const own = (s: number) => Array.from({ length: TOGETHER }, (_, c) => `c${c}=c${s * TOGETHER + c}`).join('|')
  const graph = [`[0:a]asplit=${parts.length}${parts.map((s) => `[i${s}]`).join('')}`, ...parts.map((s) => `[i${s}]pan=7.1|${own(s)}[s${s}]`)].join(';')
  const maps = parts.flatMap((s) => ['-map', `[s${s}]`])
  runFfmpeg(['-i', from, '-filter_complex', graph, ...maps, '-c:a', 'flac', '-compression_level', '0', file])
}

/** The like, each channel in a file of its own. */
function inFiles(files: readonly string[]): void {
  mkdirSync(path.dirname(files[0]), { recursive: true })
  for (const [c, file] of files.entries()) {
    const samples = Int16Array.from({ length: SECONDS * FILM_SOUND_RATE }, (_, n) => sampleAt(n, c))
    runFfmpeg(['-f', 's16le', '-ar', String(FILM_SOUND_RATE), '-ac', '1', '-i', 'pipe:0', '-c:a', 'pcm_s24le', file], Buffer.from(samples.buffer))
  }
}

/** @returns seconds that it took */
function runFfmpeg(args: readonly string[], input?: Buffer): number {
  const began = performance.now()
  const { status, stderr } = spawnSync('ffmpeg', ['-v', 'error', '-y', ...args], { encoding: 'utf8', input })
  if (status !== 0) throw new Error(stderr)
  return (performance.now() - began) / 1000
}

const plain = (c: number): StripChange => ({ gainDb: -12 - (c % 7), pan: ((c % 9) - 4) / 5 })
const full = (c: number): StripChange => ({
  ...plain(c),
  highPassHz: 80,
  bands: [200, 900, 3000, 8000].map((hz, i) => ({ kind: (['low-shelf', 'bell', 'bell', 'high-shelf'] as const)[i], hz, gainDb: 3 - i, q: 1 })),
  gate: { thresholdDb: -50, rangeDb: 20, attackMs: 3, holdMs: 150, releaseMs: 200 },
  compressor: { thresholdDb: -24, ratio: 3, kneeDb: 6, attackMs: 10, releaseMs: 150, makeupDb: 2 },
})

/** What ffmpeg needs to mix the same channels at the same levels: of one stream, or of many that it puts together first. */
function theirs({ files, streams }: Material, out: string): number {
  const sides = (pick: (p: number) => number) =>
    Array.from({ length: CHANNELS }, (_, c) => {
      const { gainDb = 0, pan } = plain(c)
      return (10 ** (gainDb / 20) * pick(pan ?? 0)).toFixed(6)
    })
  const [left, right] = [sides((p) => Math.min(1, 1 - p)), sides((p) => Math.min(1, 1 + p))]
  const width = CHANNELS / files.length / streams
  const parts = Array.from({ length: files.length * streams }, (_, n) => {
    const side = (of: readonly string[]) => Array.from({ length: width }, (_, c) => `${of[n * width + c]}*c${c}`).join('+')
    return `[${Math.floor(n / streams)}:a:${n % streams}]pan=stereo|c0=${side(left)}|c1=${side(right)}[s${n}]`
  })
  const all = `${parts.map((_, n) => `[s${n}]`).join('')}${parts.length > 1 ? `amix=${parts.length}:normalize=0` : 'anull'}[a]`
  return runFfmpeg([...files.flatMap((f) => ['-i', f]), '-filter_complex', [...parts, all].join(';'), '-map', '[a]', '-f', 'f32le', out])
}

/** What is mixed: how the channels lie in files, and in streams of each. */
interface Material {
  readonly what: string
  readonly files: readonly string[]
  readonly streams: number
}

/** What is set for each channel, and whether what comes out is measured as a film's loudness is. */
interface Way {
  readonly change: (c: number) => StripChange
  readonly meter?: () => LoudnessMeter
}

const LEVELS: Way = { change: plain }

/** The sound of a film of sixty-four channels in one stream, in eight, and in files of their own, against ffmpeg that mixes the same channels at the same levels. */
export async function benchMix(folder: string): Promise<void> {
  const recorder = path.join(folder, 'recorder', `recorder-${CHANNELS}.wav`)
  if (!existsSync(recorder)) await material(recorder)
  const streamed = path.join(folder, 'recorder', `recorder-${CHANNELS}.mka`)
  if (!existsSync(streamed)) await inStreams(recorder, streamed)
  const single = Array.from({ length: CHANNELS }, (_, c) => path.join(folder, 'recorder', 'tracks', `track-${c + 1}.wav`))
  if (!single.every((file) => existsSync(file))) inFiles(single)
  const home = mkdtempSync(path.join(os.tmpdir(), 'pendolo-bench-'))
  const config = makeConfig(home, [path.resolve(folder)])
  const materials: readonly (Material & { readonly ways: Readonly<Record<string, Way>> })[] = [
    {
      what: 'one stream',
      files: [recorder],
      streams: 1,
      ways: { 'level and place': LEVELS, 'level and place, and measured': { ...LEVELS, meter: filmMeter }, 'all that a strip has': { change: full } },
    },
    { what: 'eight streams of FLAC', files: [streamed], streams: CHANNELS / TOGETHER, ways: { 'level and place': LEVELS } },
    { what: 'files of their own', files: single, streams: 1, ways: { 'level and place': LEVELS } },
  ]
  try {
    for (const { ways, ...one } of materials) {
      const baseline = theirs(one, path.join(home, 'out.f32'))
      console.log(
        `baseline: ffmpeg mixes ${CHANNELS} channels, ${one.what}, of ${SECONDS} s into two in ${baseline.toFixed(1)} s, ${(SECONDS / baseline).toFixed(0)} × real time`,
      )
      for (const [name, way] of Object.entries(ways)) {
        const { seconds, most } = await ours(config, one, way)
        console.log(
          `mix, ${name}: ${(seconds / baseline).toFixed(2)} × that, ${(SECONDS / seconds).toFixed(1)} × real time, at most ${(most / 2 ** 20).toFixed(0)} MiB`,
        )
      }
    }
  } finally {
    rmSync(home, { recursive: true, force: true })
  }
}

/** Blocks of the film from one look at the memory to the next. */
const LOOK_EVERY = 20

/** Mixes all channels, each at what is set for it. */
async function ours(config: Config, { files, streams }: Material, { change, meter }: Way): Promise<{ seconds: number; most: number }> {
  const known = new Map<string, { id: string; name: string; path: string; facts: FileFacts }>()
  for (const [n, file] of files.entries())
    known.set(`f${n}`, { id: `f${n}`, name: path.basename(file), path: path.resolve(file), facts: await probe(config, path.resolve(file)) })
  const width = CHANNELS / files.length / streams
  const { doc } = applyEdits(emptyProject('cut'), [
    { type: 'addClips', angles: [], clips: files.map((_, n) => ({ id: `r${n}`, fileId: `f${n}`, angleId: null, state: 'in' })) },
    { type: 'setMaster', clipId: 'r0' },
    { type: 'place', by: 'hand', placements: Object.fromEntries(files.slice(1).map((_, n) => [`r${n + 1}`, PLACE])), loose: {} },
    ...Array.from({ length: CHANNELS }, (_, c) => c).flatMap((c): Edit[] => {
      const clipId = `r${Math.floor(c / width / streams)}`
      if (width === 1 && streams === 1) return [{ type: 'strip', clipId, change: { on: true, ...change(c) } }]
      const channel = channelKey(Math.floor(c / width) % streams, c % width)
      return [
        { type: 'channel', clipId, channel, change: { on: true } },
        { type: 'strip', clipId, channel, change: { on: true, ...change(c) } },
      ]
    }),
  ])
  const run = { begins: 0, ends: SECONDS * FILM_SOUND_RATE, from: 0, into: 0, out: 0 }
  const began = performance.now()
  let most = 0
  let blocks = 0
  const measuring = meter?.()
  // Asking for the memory takes two milliseconds, as long as mixing a block.
  const look = async (bytes: Uint8Array) => {
    measuring?.add(new Float32Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 4))
    if (blocks++ % LOOK_EVERY === 0) most = Math.max(most, process.memoryUsage.rss())
  }
  await mixRuns(config, doc, known, [run], look, new AbortController().signal)
  return { seconds: (performance.now() - began) / 1000, most }
}
