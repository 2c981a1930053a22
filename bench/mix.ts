import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { channelKey } from '../core/mix/index.ts'
import { applyEdits, type Edit, emptyProject, type StripChange } from '../core/project/index.ts'
import { makeConfig } from '../server/config.ts'
import { mixRuns } from '../server/film/mix.ts'
import { FILM_SOUND_RATE } from '../server/film/placed-sound.ts'
import { probe } from '../server/media/probe.ts'

const CHANNELS = 64
const SECONDS = 120
/** Blocks of the material, frames. */
const BLOCK = 4800

/** A recorder's file of many channels, 24 bit: quiet noise with bursts, another one in each. */
async function material(file: string): Promise<void> {
  mkdirSync(path.dirname(file), { recursive: true })
  const raw = ['-f', 's16le', '-ar', String(FILM_SOUND_RATE), '-ac', String(CHANNELS), '-i', 'pipe:0']
  const child = spawn('ffmpeg', ['-v', 'error', '-y', ...raw, '-c:a', 'pcm_s24le', '-rf64', 'auto', file], { stdio: ['pipe', 'inherit', 'inherit'] })
  const noise = Int16Array.from({ length: 65_521 }, () => Math.round(6000 * (Math.random() - 0.5)))
  for (let from = 0; from < SECONDS * FILM_SOUND_RATE; from += BLOCK) {
    const block = new Int16Array(BLOCK * CHANNELS)
    for (let n = 0; n < BLOCK; n++) for (let c = 0; c < CHANNELS; c++) block[n * CHANNELS + c] = noise[((from + n) * 3 + c * 977) % noise.length]
    if (!child.stdin.write(Buffer.from(block.buffer))) await once(child.stdin, 'drain')
  }
  child.stdin.end()
  await once(child, 'exit')
}

const plain = (c: number): StripChange => ({ gainDb: -12 - (c % 7), pan: ((c % 9) - 4) / 5 })
const full = (c: number): StripChange => ({
  ...plain(c),
  highPassHz: 80,
  bands: [200, 900, 3000, 8000].map((hz, i) => ({ kind: (['low-shelf', 'bell', 'bell', 'high-shelf'] as const)[i], hz, gainDb: 3 - i, q: 1 })),
  gate: { thresholdDb: -50, rangeDb: 20, attackMs: 3, holdMs: 150, releaseMs: 200 },
  compressor: { thresholdDb: -24, ratio: 3, kneeDb: 6, attackMs: 10, releaseMs: 150, makeupDb: 2 },
})

/** The sound of a film of sixty-four channels, against ffmpeg that mixes the same channels at the same levels. */
export async function benchMix(folder: string): Promise<void> {
  const file = path.join(folder, 'recorder', `recorder-${CHANNELS}.wav`)
  if (!existsSync(file)) await material(file)
  const home = mkdtempSync(path.join(os.tmpdir(), 'pendolo-bench-'))
  try {
    const config = makeConfig(home, [path.resolve(folder)])
    const facts = await probe(config, path.resolve(file))
    const files = new Map([['f', { id: 'f', name: path.basename(file), path: path.resolve(file), facts }]])
    const ours = async (change: (c: number) => StripChange) => {
      const edits: Edit[] = [
        { type: 'addClips', angles: [], clips: [{ id: 'r', fileId: 'f', angleId: null, state: 'in' }] },
        { type: 'setMaster', clipId: 'r' },
        ...Array.from({ length: CHANNELS }, (_, c): Edit => ({ type: 'strip', clipId: 'r', channel: channelKey(0, c), change: { on: true, ...change(c) } })),
      ]
      const { doc } = applyEdits(emptyProject('cut'), edits)
      const run = { begins: 0, ends: SECONDS * FILM_SOUND_RATE, from: 0, into: 0, out: 0 }
      const began = performance.now()
      let most = 0
      const look = async () => {
        most = Math.max(most, process.memoryUsage.rss())
      }
      await mixRuns(config, doc, files, [run], look, new AbortController().signal)
      return { seconds: (performance.now() - began) / 1000, most }
    }
    const sides = (pick: (p: number) => number) =>
      Array.from({ length: CHANNELS }, (_, c) => {
        const { gainDb = 0, pan } = plain(c)
        return `${(10 ** (gainDb / 20) * pick(pan ?? 0)).toFixed(6)}*c${c}`
      }).join('+')
    const pan = `pan=stereo|c0=${sides((p) => Math.min(1, 1 - p))}|c1=${sides((p) => Math.min(1, 1 + p))}`
    const began = performance.now()
    const { status, stderr } = spawnSync('ffmpeg', ['-v', 'error', '-y', '-i', file, '-af', pan, '-f', 'f32le', path.join(home, 'out.f32')], {
      encoding: 'utf8',
    })
    if (status !== 0) throw new Error(stderr)
    const theirs = (performance.now() - began) / 1000
    console.log(`baseline: ffmpeg mixes ${CHANNELS} channels of ${SECONDS} s into two in ${theirs.toFixed(1)} s, ${(SECONDS / theirs).toFixed(0)} × real time`)
    for (const [what, change] of [
      ['level and place', plain],
      ['all that a strip has', full],
    ] as const) {
      const { seconds, most } = await ours(change)
      console.log(
        `mix, ${what}: ${(seconds / theirs).toFixed(2)} × that, ${(SECONDS / seconds).toFixed(1)} × real time, at most ${(most / 2 ** 20).toFixed(0)} MiB`,
      )
    }
  } finally {
    rmSync(home, { recursive: true, force: true })
  }
}
