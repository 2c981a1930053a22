import { type FileHandle, open, stat, writeFile } from 'node:fs/promises'
import { ANALYSIS_RATE, PeakWriter, packPeaks } from '@pendolo/core/signal'
import type { SoundFindings } from './findings.ts'

/** Points of the waveform overview: a hundred a second, of single channels fewer. */
const PEAK_STEP = ANALYSIS_RATE / 100
const CHANNEL_PEAK_STEP = ANALYSIS_RATE / 25
/** A mix this much weaker than its louder channel cancels itself out or carries an empty one. */
const CANCELLED = 0.2
/** Mean over root mean square of timecode at the analysis rate; music and speech stay below. */
const TIMECODE_STEADY = 0.84
const STEADY_BLOCK = ANALYSIS_RATE / 4
/** A channel that correlates with what was chosen by less than this holds something else, and at most so many are kept. */
const ALIKE = 0.85
const MOST_OTHERS = 8
/** A channel below this share of the other's energy is called empty (−40 dB). */
const EMPTY = 1e-4
/** Frames read at once: whole blocks. */
const AT_ONCE = 16 * STEADY_BLOCK

/** A file's decoded sound at the analysis rate, 16 bit, its channels in groups: what decodes takes apart no more than sixteen at once. */
export type RawSound = readonly { readonly path: string; readonly channels: number }[]

export interface Channel {
  /** Sum of squares. */
  readonly energy: number
  /** Its height is as steady as timecode's. */
  readonly steady: boolean
}

/** All channels of a sound, before it is decided which of them are heard. */
export interface Listened {
  readonly channels: readonly Channel[]
  /** Sums of products of each channel with each, a row a channel; of many channels not every sample is asked. */
  readonly products: Float64Array
}

/** What each channel holds, and how they are alike. */
export async function listen(raw: RawSound): Promise<Listened> {
  const count = raw.reduce((sum, r) => sum + r.channels, 0)
  const blocks = Array.from({ length: count }, () => ({ energy: 0, active: 0, steady: 0 }))
  const products = new Float64Array(count * count)
  // The work for a sample rises with the square of the channels; so many fewer are enough to tell what is alike.
  const step = count * Math.max(1, count >> 1)
  for await (const frame of frames(raw)) {
    for (const [c, block] of blocks.entries())
      for (let from = c; from < frame.length; from += STEADY_BLOCK * count) {
        const to = Math.min(frame.length, from + STEADY_BLOCK * count)
        const { sum, squares } = heightsOf(frame, from, to, count)
        block.energy += squares
        const rms = Math.sqrt(squares / STEADY_BLOCK)
        if (rms <= 30 || to < from + STEADY_BLOCK * count - c) continue
        block.active++
        if (sum / STEADY_BLOCK > TIMECODE_STEADY * rms) block.steady++
      }
    for (let a = 0; a < count; a++)
      for (let b = 0; b <= a; b++) {
        if (a === b && step === count) continue
        const sum = productOf(frame, a, b, step)
        products[a * count + b] += sum
        if (a !== b) products[b * count + a] += sum
      }
  }
  // Of few channels every sample was asked already.
  if (step === count) for (const [c, { energy }] of blocks.entries()) products[c * count + c] = energy
  return {
    channels: blocks.map(({ energy, active, steady }) => ({ energy, steady: steady >= 4 && steady > active / 2 })),
    products,
  }
}

/** Sums of heights and of their squares, of every `step`-th sample of a block. Whole numbers are multiplied as such: that is twice as quick. */
function heightsOf(frame: Int16Array, from: number, to: number, step: number): { sum: number; squares: number } {
  let sum = 0
  let squares = 0
  for (let i = from; i < to; i += step) {
    const x = frame[i]
    sum = (sum + Math.abs(x)) | 0
    squares += Math.imul(x, x)
  }
  return { sum, squares }
}

/** Sum of products of two channels, of every `step`-th sample. */
function productOf(frame: Int16Array, a: number, b: number, step: number): number {
  let sum = 0
  const { length } = frame
  for (let i = 0; i < length; i += step) sum += Math.imul(frame[i + a], frame[i + b])
  return sum
}

/** The mean of some of the channels; halves are rounded up. */
function meanOf(frame: Int16Array, some: readonly number[], channels: number): Int16Array {
  const mono = new Int16Array(frame.length / channels)
  if (some.length === 2) {
    // Most files: whole numbers are added as such.
    const [a, b] = some
    for (let i = 0, k = 0; i < mono.length; i++, k += channels) mono[i] = (frame[k + a] + frame[k + b] + 1) >> 1
    return mono
  }
  const sums = new Int32Array(mono.length)
  for (const c of some) for (let i = 0, k = c; i < sums.length; i++, k += channels) sums[i] += frame[k]
  for (let i = 0; i < mono.length; i++) mono[i] = Math.round(sums[i] / Math.max(1, some.length))
  return mono
}

/** Writes one channel of the decoded sound as an analysis sound of its own. */
export async function alone(raw: RawSound, channel: number, into: string): Promise<void> {
  // Only the group that it came with is read.
  let [group, own] = [0, channel]
  while (own >= raw[group].channels) own -= raw[group++].channels
  const { channels } = raw[group]
  await using out = await open(into, 'w')
  for await (const frame of frames([raw[group]])) {
    const mono = new Int16Array(frame.length / channels)
    for (let i = 0; i < mono.length; i++) mono[i] = frame[i * channels + own]
    await out.appendFile(new Uint8Array(mono.buffer))
  }
  // A stream that ends early is silent from there on.
  const lengths = await Promise.all(raw.map(async (r) => Math.floor((await stat(r.path)).size / (2 * r.channels))))
  await out.truncate(2 * Math.max(...lengths))
}

/** Folds the decoded sound to mono by the mix or the channel that serves best, and writes overview and analysis sound. */
export async function fold(
  raw: RawSound,
  { channels: heard, products }: Listened,
  timecodeChannel: number,
  into: { peaks: string; analysis: string; channelPeaks: string | null },
): Promise<SoundFindings> {
  const channels = heard.length
  const louder = Math.max(...heard.map((c) => c.energy))
  // Timecode is no sound of the event, and empty channels only make the mix weaker.
  const used = heard.map((_, c) => c).filter((c) => c !== timecodeChannel && heard[c].energy > EMPTY * louder)
  const strongest = used.reduce((a, b) => (heard[b].energy > heard[a].energy ? b : a), used[0] ?? 0)
  const product = (a: number, b: number) => products[a * channels + b]
  const withMix = (c: number) => used.reduce((sum, d) => sum + product(c, d), 0) / Math.max(1, used.length)
  const mix = used.reduce((sum, c) => sum + withMix(c), 0) / Math.max(1, used.length)
  const mixed = used.length > 1 && mix >= CANCELLED * product(strongest, strongest)
  const heardOf = mixed ? used : used.length > 0 ? [strongest] : []
  const writer = new PeakWriter(PEAK_STEP)
  const apart = into.channelPeaks === null ? [] : heard.map(() => new PeakWriter(CHANNEL_PEAK_STEP))
  await using out = await open(into.analysis, 'w')
  for await (const frame of frames(raw)) {
    const mono = meanOf(frame, heardOf, channels)
    writer.push(mono)
    for (const [c, own] of apart.entries()) own.push(frame, c, channels)
    await out.appendFile(new Uint8Array(mono.buffer))
  }
  await writeFile(into.peaks, packPeaks([writer.finish()], ANALYSIS_RATE, PEAK_STEP))
  if (into.channelPeaks !== null)
    await writeFile(
      into.channelPeaks,
      packPeaks(
        apart.map((w) => w.finish()),
        ANALYSIS_RATE,
        CHANNEL_PEAK_STEP,
      ),
    )
  const [left, right] = heard.map((c) => c.energy)
  const empty = channels !== 2 || louder <= 0 || timecodeChannel >= 0 ? null : right < EMPTY * left ? 'right' : left < EMPTY * right ? 'left' : null
  const likeness = (c: number) =>
    mixed ? Math.abs(withMix(c)) / Math.sqrt(mix * product(c, c)) : Math.abs(product(strongest, c)) / Math.sqrt(product(strongest, strongest) * product(c, c))
  const others = used
    .filter((c) => used.length > 1 && !(likeness(c) > ALIKE))
    .sort((a, b) => heard[b].energy - heard[a].energy)
    .slice(0, MOST_OTHERS)
  return { silent: louder < 1 || used.length === 0, emptyChannel: empty, others }
}

/** All channels of a raw sound side by side, piece by piece; a stream that ends early is silent from there on. */
async function* frames(raw: RawSound): AsyncGenerator<Int16Array> {
  const files: FileHandle[] = []
  try {
    for (const { path } of raw) files.push(await open(path))
    const channels = raw.reduce((sum, r) => sum + r.channels, 0)
    for (let from = 0; ; from += AT_ONCE) {
      const groups = await Promise.all(raw.map((r, i) => samplesAt(files[i], 2 * r.channels * from, r.channels * AT_ONCE)))
      const count = Math.max(...groups.map((g, i) => Math.floor(g.length / raw[i].channels)))
      if (count === 0) return
      yield raw.length === 1 ? groups[0].subarray(0, count * channels) : sideBySide(groups, raw, count, channels)
    }
  } finally {
    await Promise.all(files.map((f) => f.close()))
  }
}

async function samplesAt(file: FileHandle, byte: number, most: number): Promise<Int16Array> {
  const bytes = new Uint8Array(2 * most)
  let have = 0
  while (have < bytes.length) {
    const { bytesRead } = await file.read(bytes, have, bytes.length - have, byte + have)
    if (bytesRead === 0) break
    have += bytesRead
  }
  return new Int16Array(bytes.buffer, 0, have >> 1)
}

function sideBySide(groups: readonly Int16Array[], raw: RawSound, count: number, channels: number): Int16Array {
  const out = new Int16Array(count * channels)
  let first = 0
  for (const [i, group] of groups.entries()) {
    const own = raw[i].channels
    const there = Math.min(count, Math.floor(group.length / own))
    for (let n = 0; n < there; n++) for (let c = 0; c < own; c++) out[n * channels + first + c] = group[n * own + c]
    first += own
  }
  return out
}
