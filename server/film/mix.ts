import { open } from 'node:fs/promises'
import { availableParallelism } from 'node:os'
import { setImmediate } from 'node:timers/promises'
import { type DeskSource, projectDesk } from '@pendolo/core/film'
import type { Exchange, ExchangeFile } from '@pendolo/core/formats'
import { channelsOf, type DeskInput, type DeskPassage, DeskRun, deskLatency } from '@pendolo/core/mix'
import type { FileFacts, ProjectDoc } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, frameStart } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { Cancelled } from '../media/ffmpeg.ts'
import { present } from '../media/originals.ts'
import { mostApart, readTogether } from '../media/sound-clock.ts'
import { FILM_SOUND_RATE, type GivesFrames, type Heard, PlacedSound } from './placed-sound.ts'

/** Frames read at once: a fifth of a second. */
const BLOCK = FILM_SOUND_RATE / 5
/** Frames that the desk takes at once: all its strips together stay near the processor. A block is a whole number of them. */
const DESK_BLOCK = 960

/** Channels of one stream that one decoder gives, and the numbers of their inputs of the desk. */
interface Part {
  readonly apart: { readonly stream: number; readonly channels: number[] }
  readonly inputs: number[]
}

/** Decoders for the inputs of a desk: channels of one stream come out of one, as far as one can, and many streams out of as many as there are processors. */
function decodersFor(doc: ProjectDoc, files: ReadonlyMap<string, ExchangeFile>, sources: readonly DeskSource[]): Heard[] {
  const parts = new Map<string, Part[]>()
  const out: Heard[] = []
  const known = (clipId: string) => ({ file: files.get(doc.clips[clipId].fileId) as ExchangeFile, placement: doc.placements[clipId] })
  for (const [input, { clipId, channel, number }] of sources.entries()) {
    const { file } = known(clipId)
    if (channel === null) {
      out.push({ ...known(clipId), apart: null, inputs: [input] })
      continue
    }
    const found = channelsOf(file.facts.audio as NonNullable<FileFacts['audio']>)[number - 1]
    const most = mostApart(file.facts, FILM_SOUND_RATE)
    const own = parts.get(clipId) ?? []
    parts.set(clipId, own)
    const open = own.find(({ apart }) => apart.stream === found.stream && apart.channels.length < most)
    if (open) {
      open.apart.channels.push(found.channel)
      open.inputs.push(input)
    } else own.push({ apart: { stream: found.stream, channels: [found.channel] }, inputs: [input] })
  }
  for (const [clipId, own] of parts) {
    const decoders = readTogether(known(clipId).file.facts, own.length) ? Math.min(own.length, availableParallelism()) : own.length
    for (let n = 0; n < decoders; n++) {
      const mine = own.filter((_, i) => i % decoders === n)
      out.push({ ...known(clipId), apart: mine.map((p) => p.apart), inputs: mine.flatMap((p) => p.inputs) })
    }
  }
  return out
}

/** A run of the programme in sound frames: where it begins and ends in the film, with its fades, and on the master. */
export interface SoundRun {
  readonly begins: number
  readonly ends: number
  /** Master frame at `begins`; null is silence. */
  readonly from: number | null
  /** Half the lengths of the crossfades at both ends. */
  readonly into: number
  readonly out: number
}

/** The runs of a film in sound frames. */
export function soundRuns({ runs, fromFrame, rate }: Exchange): SoundRun[] {
  const frame = (n: number) => Math.round((frameStart(n, rate) / FLICKS_PER_SECOND) * FILM_SOUND_RATE)
  const zero = frame(fromFrame)
  const plain = runs.map((r) => ({
    begins: frame(r.fromFrame) - zero,
    ends: frame(r.fromFrame + r.frames) - zero,
    from: r.masterFrame === null ? null : frame(r.masterFrame),
  }))
  const half = (i: number): number => {
    const [a, b] = [plain[i - 1], plain[i]]
    if (!a || !b) return 0
    const wanted = Math.round((runs[i].fade / FLICKS_PER_SECOND / 2) * FILM_SOUND_RATE)
    return Math.min(wanted, Math.floor((a.ends - a.begins) / 2), Math.floor((b.ends - b.begins) / 2))
  }
  return plain.map((r, i) => ({ ...r, into: half(i), out: half(i + 1) }))
}

/** Factor of a run at a frame of the film: 1 within it, falling to 0 over its crossfades. */
function runLevel(run: SoundRun, at: number): number {
  const into = run.into > 0 ? (at - (run.begins - run.into)) / (2 * run.into) : 1
  const out = run.out > 0 ? (run.ends + run.out - at) / (2 * run.out) : 1
  return Math.max(0, Math.min(1, into, out))
}

/**
 * Mixes the film's sound as raw 32-bit stereo at 48 kHz, exactly as long as its pictures. Outside of the crossfades at
 * its joins it is sample for sample what the master has there.
 * @param hear is given all of it as it comes
 * @returns number of sound frames written
 */
export async function mixSound(
  config: Config,
  exchange: Exchange,
  files: ReadonlyMap<string, ExchangeFile>,
  out: string,
  signal: AbortSignal,
  hear: (samples: Float32Array) => void = () => undefined,
): Promise<number> {
  const write = async (bytes: Uint8Array) => {
    hear(new Float32Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 4))
    await file.appendFile(bytes)
  }
  // A file handle rejects where a stream without a listener would end the server.
  const file = await open(out, 'w')
  try {
    return await mixRuns(config, exchange.doc, files, soundRuns(exchange), write, signal)
  } finally {
    await file.close()
  }
}

/**
 * Mixes what is heard of a project in runs, block by block.
 * @param write takes 32-bit stereo at 48 kHz
 * @returns number of sound frames written
 */
export async function mixRuns(
  config: Config,
  doc: ProjectDoc,
  files: ReadonlyMap<string, ExchangeFile>,
  runs: readonly SoundRun[],
  write: (bytes: Uint8Array) => Promise<void>,
  signal: AbortSignal,
): Promise<number> {
  const { nodes, sources: wanted } = projectDesk(doc, (id) => files.get(id)?.facts)
  const heard = decodersFor(doc, files, wanted)
  for (const { file } of heard) await present(config, file)
  const sources = heard.map((h) => new PlacedSound(config, h))
  const close = () => {
    for (const source of sources) source.close()
  }
  // Who waits for a disk that does not answer need not wait for its end.
  signal.addEventListener('abort', close, { once: true })
  try {
    const desk = new DeskRun(FILM_SOUND_RATE, false)
    desk.set(nodes)
    desk.play(runs.filter((r) => r.from !== null).map(passageOf))
    const ends = runs.at(-1)?.ends ?? 0
    const latency = ends > 0 ? deskLatency(nodes) : 0
    const out = [new Float32Array(BLOCK), new Float32Array(BLOCK)] as const
    const inputs: DeskInput[] = wanted.map(() => null)
    for (let at = 0; at < ends + latency; at += BLOCK) {
      if (signal.aborted) throw new Cancelled()
      const count = Math.min(BLOCK, ends + latency - at)
      const block = [out[0].subarray(0, count), out[1].subarray(0, count)] as const
      const gives = await Promise.all(sources.map((source) => read(source, runs, at, count)))
      for (let n = 0; n < count; n += DESK_BLOCK) {
        // In between what has been decoded is taken, so that decoders go on meanwhile.
        await setImmediate()
        const end = Math.min(count, n + DESK_BLOCK)
        for (const [i, source] of sources.entries()) give(source, gives[i](n, end - n), inputs)
        desk.run(inputs, [block[0].subarray(n, end), block[1].subarray(n, end)], (at + n) / FILM_SOUND_RATE)
      }
      // What the desk gave before the first frame had come through is nothing.
      const early = Math.min(count, Math.max(0, latency - at))
      if (early < count) await write(interleaved([block[0].subarray(early), block[1].subarray(early)]))
    }
    if (signal.aborted) throw new Cancelled()
    return ends
  } finally {
    signal.removeEventListener('abort', close)
    close()
  }
}

const seconds = (frames: number): number => frames / FILM_SOUND_RATE

function passageOf(run: SoundRun): DeskPassage {
  return {
    after: seconds(run.begins),
    master: seconds(run.from as number),
    length: seconds(run.ends - run.begins),
    fadeIn: 2 * seconds(run.into),
    fadeOut: 2 * seconds(run.out),
  }
}

/** What a source has for a block of the film: what each run has there, faded over its joins. */
async function read(source: PlacedSound, runs: readonly SoundRun[], at: number, count: number): Promise<GivesFrames> {
  const whole = await inOnePiece(source, runs, at, count)
  if (whole) return whole
  const own = await together(source, runs, at, count)
  return (n, some) => own.map((plane) => plane.subarray(n, n + some))
}

/** Gives the desk frames of a source. */
function give(source: PlacedSound, frames: readonly Float32Array[], inputs: DeskInput[]): void {
  if (source.apart) for (const [c, input] of source.inputs.entries()) inputs[input] = [frames[c]]
  else inputs[source.inputs[0]] = frames
}

/** A block that one run has all of, and nothing else. */
async function inOnePiece(source: PlacedSound, runs: readonly SoundRun[], at: number, count: number): Promise<GivesFrames | null> {
  const here = runs.filter((r) => r.from !== null && r.begins - r.into < at + count && r.ends + r.out > at)
  const [run] = here
  if (here.length !== 1 || run.from === null || at < run.begins + run.into || at + count > run.ends - run.out) return null
  return source.whole(run.from + (at - run.begins), count)
}

async function together(source: PlacedSound, runs: readonly SoundRun[], at: number, count: number): Promise<readonly Float32Array[]> {
  const own = source.blank(count)
  for (const run of runs) {
    const [from, to] = [Math.max(at, run.begins - run.into), Math.min(at + count, run.ends + run.out)]
    if (run.from === null || to <= from) continue
    const faded = from < run.begins + run.into || to > run.ends - run.out
    const shape = faded ? Float32Array.from({ length: to - from }, (_, n) => runLevel(run, from + n + 0.5)) : null
    await source.addTo(own, from - at, run.from + (from - run.begins), to - from, shape)
  }
  return own
}

function interleaved([left, right]: readonly [Float32Array, Float32Array]): Uint8Array {
  const out = new Float32Array(left.length * 2)
  for (let n = 0; n < left.length; n++) {
    out[2 * n] = left[n]
    out[2 * n + 1] = right[n]
  }
  return new Uint8Array(out.buffer)
}
