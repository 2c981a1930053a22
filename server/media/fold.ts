import { type FileHandle, open, writeFile } from 'node:fs/promises'
import { ANALYSIS_RATE, BandWriter, PeakWriter, packFeatures, packPeaks } from '@pendolo/core/signal'
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
/** Frames read at once. */
const AT_ONCE = 1 << 15

/** A file's decoded sound at the analysis rate, 16 bit, its channels in groups: what decodes takes apart no more than sixteen at once. */
export type RawSound = readonly { readonly path: string; readonly channels: number }[]

export interface Channel {
  /** Sum of squares. */
  readonly energy: number
  /** Its height is as steady as timecode's. */
  readonly steady: boolean
}

/** What each channel holds, before it is decided which of them are heard. */
export async function listen(raw: RawSound): Promise<Channel[]> {
  const channels = raw.reduce((sum, r) => sum + r.channels, 0)
  const energy = new Float64Array(channels)
  const blocks = Array.from({ length: channels }, () => ({ sum: 0, squares: 0, active: 0, steady: 0 }))
  let inBlock = 0
  for await (const frame of frames(raw)) {
    for (let i = 0; i < frame.length; i += channels) {
      for (let c = 0; c < channels; c++) {
        const x = frame[i + c]
        blocks[c].sum += Math.abs(x)
        blocks[c].squares += x * x
      }
      if (++inBlock < STEADY_BLOCK) continue
      inBlock = 0
      for (const [c, block] of blocks.entries()) {
        energy[c] += block.squares
        const rms = Math.sqrt(block.squares / STEADY_BLOCK)
        if (rms > 30) {
          block.active++
          if (block.sum / STEADY_BLOCK > TIMECODE_STEADY * rms) block.steady++
        }
        block.sum = 0
        block.squares = 0
      }
    }
  }
  return blocks.map((block, c) => ({ energy: energy[c] + block.squares, steady: block.steady >= 4 && block.steady > block.active / 2 }))
}

/** Writes one channel of the decoded sound as an analysis sound of its own. */
export async function alone(raw: RawSound, channel: number, into: { analysis: string; features: string }): Promise<void> {
  const channels = raw.reduce((sum, r) => sum + r.channels, 0)
  const bands = new BandWriter()
  await using out = await open(into.analysis, 'w')
  for await (const frame of frames(raw)) {
    const mono = new Int16Array(frame.length / channels)
    for (let i = 0; i < mono.length; i++) mono[i] = frame[i * channels + channel]
    const unit = new Float32Array(mono.length)
    for (let i = 0; i < unit.length; i++) unit[i] = mono[i] / 32768
    bands.push(unit)
    await out.appendFile(new Uint8Array(mono.buffer))
  }
  await writeFile(into.features, packFeatures(bands.finish()))
}

/** Folds the decoded sound to mono by the mix or the channel that serves best, and writes overview and analysis sound. */
export async function fold(
  raw: RawSound,
  heard: readonly Channel[],
  timecodeChannel: number,
  into: { peaks: string; analysis: string; features: string; channelPeaks: string | null },
): Promise<SoundFindings> {
  const channels = heard.length
  const louder = Math.max(...heard.map((c) => c.energy))
  // Timecode is no sound of the event, and empty channels only make the mix weaker.
  const used = heard.map((_, c) => c).filter((c) => c !== timecodeChannel && heard[c].energy > EMPTY * louder)
  const strongest = used.reduce((a, b) => (heard[b].energy > heard[a].energy ? b : a), used[0] ?? 0)
  let mix = 0
  const withMix = new Float64Array(channels)
  const withStrongest = new Float64Array(channels)
  if (used.length > 1)
    for await (const frame of frames(raw))
      for (let i = 0; i < frame.length; i += channels) {
        let sum = 0
        for (const c of used) sum += frame[i + c]
        sum /= used.length
        mix += sum * sum
        for (const c of used) {
          withMix[c] += sum * frame[i + c]
          withStrongest[c] += frame[i + strongest] * frame[i + c]
        }
      }
  const mixed = used.length > 1 && mix >= CANCELLED * heard[strongest].energy
  const writer = new PeakWriter(PEAK_STEP)
  const apart = into.channelPeaks === null ? [] : heard.map(() => new PeakWriter(CHANNEL_PEAK_STEP))
  const bands = new BandWriter()
  await using out = await open(into.analysis, 'w')
  for await (const frame of frames(raw)) {
    const mono = new Int16Array(frame.length / channels)
    const unit = new Float32Array(mono.length)
    for (let i = 0; i < mono.length; i++) {
      let value = 0
      if (mixed) for (const c of used) value += frame[i * channels + c] / used.length
      else if (used.length > 0) value = frame[i * channels + strongest]
      mono[i] = Math.round(value)
      unit[i] = mono[i] / 32768
    }
    writer.push(unit)
    bands.push(unit)
    await out.appendFile(new Uint8Array(mono.buffer))
    for (const [c, own] of apart.entries()) {
      for (let i = 0; i < unit.length; i++) unit[i] = frame[i * channels + c] / 32768
      own.push(unit)
    }
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
  await writeFile(into.features, packFeatures(bands.finish()))
  const [left, right] = heard.map((c) => c.energy)
  const empty = channels !== 2 || louder <= 0 || timecodeChannel >= 0 ? null : right < EMPTY * left ? 'right' : left < EMPTY * right ? 'left' : null
  const likeness = (c: number) =>
    mixed ? Math.abs(withMix[c]) / Math.sqrt(mix * heard[c].energy) : Math.abs(withStrongest[c]) / Math.sqrt(heard[strongest].energy * heard[c].energy)
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
