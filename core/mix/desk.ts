import { type Biquad, LevelSum, SectionRow, SoundWork } from '../signal/index.ts'
import { FLICKS_PER_SECOND } from '../time/index.ts'
import { type Band, bandSection, highPassSections } from './biquad.ts'
import { type Compressor, CompressorRun, type Gate, GateRun } from './dynamics.ts'
import { humSections } from './hum.ts'
import { type LevelCurve, timesCurve } from './levels.ts'
import { looksAhead, REPAIR_LATENCY, type Repair, RepairRun } from './repair.ts'

/** What a strip does to sound, in this order; what is absent does nothing. */
export interface Processing {
  /** Of what comes from outside; a group has none. */
  repair?: Repair
  /** Hz. */
  highPassHz?: number
  /** At most {@link MOST_BANDS}. */
  bands?: readonly Band[]
  gate?: Gate
  compressor?: Compressor
}

export const MOST_BANDS = 4

/** A strip as it sounds. */
export interface DeskNode {
  /** Names it for meters and from one setup to the next. */
  readonly key: string
  /** Number of the input that it takes; null: it takes what goes into it. */
  readonly input: number | null
  /** Index of the node that it goes to, which stands behind it; null: the programme. */
  readonly into: number | null
  /** Linear factors with which it goes to the left and right; its level is in them. A mono input goes to both. */
  readonly left: number
  readonly right: number
  /** Multiplied with each other. */
  readonly levels: readonly LevelCurve[]
  readonly processing: Processing
  /** Later by so much, s; at most {@link MOST_DELAY}. */
  readonly delay: number
  /** Heard as if it had no processing, as loud as with it: for comparing while it plays. */
  readonly bypassed?: boolean
}

/** Longest delay of a channel, s. */
export const MOST_DELAY = 1

/** By how many frames all that these strips give comes later than what is put in. */
export const deskLatency = (nodes: readonly DeskNode[]): number => (nodes.some((n) => n.input !== null && looksAhead(n.processing.repair)) ? REPAIR_LATENCY : 0)

/** A passage of the master that is heard. */
export interface DeskPassage {
  /** Begins so long after the beginning of what is heard, s. */
  readonly after: number
  /** Master time there, s. */
  readonly master: number
  /** s; Infinity for the last. */
  readonly length: number
  /** Lengths of the crossfades at both ends, s, with their middles there. */
  readonly fadeIn: number
  readonly fadeOut: number
}

/** A part of a block in which one passage is heard, or two give way to each other. */
interface Part {
  readonly from: number
  readonly to: number
  /** Master time of the frame `from`, flicks. */
  readonly master: number
  /** That of the passage that comes, and its share at `from`; the share grows by `grows` a frame. */
  readonly coming: { readonly master: number; readonly share: number; readonly grows: number } | null
}

/** Frames whose gain has come as near as this to where it is going have arrived. */
const ARRIVED = 1e-5
/** A gain that is changed while it sounds has gone 63 % of the way after this, s. */
const GLIDE = 0.008
/** How loud a strip is with and without its processing is compared over this time, s, and what is made up for at most. */
const MATCH_SECONDS = 3
const MOST_MATCH = 16

/** Sounds of one input: one or two channels of samples; null is silence. */
export type DeskInput = readonly Float32Array[] | null

interface NodeState {
  left: number
  right: number
  /** Of each channel. */
  sections: readonly SectionRow[]
  repair: RepairRun
  gate: GateRun
  compressor: CompressorRun
  line: DelayLine
  /** Whether all that came in so far had one channel. */
  mono: boolean
  /** Levels as they were before the setup that came last, until one block has led from them to the new ones. */
  before: readonly LevelCurve[] | null
  /** Mean power before and behind the processing, over some seconds. */
  came: number
  went: number
  peak: number
  power: number
  frames: number
}

/** What all strips of a block go by. */
interface Block {
  readonly inputs: readonly DeskInput[]
  readonly out: readonly [Float32Array, Float32Array]
  readonly parts: readonly Part[]
  /** Flicks of the master from a frame to the next. */
  readonly step: number
  readonly frames: number
  /** By so many frames all that comes in is later. */
  readonly later: number
}

interface Leaving {
  readonly node: DeskNode
  readonly state: NodeState
}

/**
 * The desk: takes the sounds of all inputs through their strips and groups into two channels. Browser and film run this
 * same code. Sound that no strip changes comes out bit for bit.
 */
export class DeskRun {
  readonly #rate: number
  readonly #metered: boolean
  #nodes: readonly DeskNode[] = []
  /** Strips that are no longer there and have not fallen silent yet. */
  #leaving: readonly Leaving[] = []
  /** Whether anything has come in since it was as if nothing had sounded. */
  #sounds = false
  #latency = 0
  #passages: readonly DeskPassage[] = []
  #states = new Map<string, NodeState>()
  #sums: Float32Array[][] = []
  #level = new Float32Array(0)
  #other = new Float32Array(0)
  readonly #sum = new LevelSum()
  readonly #work = new SoundWork()
  #waitFor: readonly [Float32Array, Float32Array] | null = null

  /** @param rate frames a second @param metered whether its strips have meters */
  constructor(rate: number, metered = true) {
    this.#rate = rate
    this.#metered = metered
  }

  /**
   * What is heard from now on; strips of the same key go on from where they are, their levels glide, and so do those that come
   * and go. Levels and processing that are the same objects as before have not changed.
   */
  set(nodes: readonly DeskNode[]): void {
    const states = new Map<string, NodeState>()
    for (const [i, node] of nodes.entries()) {
      if (node.into !== null && node.into <= i) throw new Error('a strip must stand before the one it goes to')
      const old = this.#nodes.find((n) => n.key === node.key)
      const state = this.#states.get(node.key) ?? this.#leaving.find((l) => l.node.key === node.key)?.state ?? this.#fresh(node, this.#sounds ? 0 : 1)
      if (old && old.levels !== node.levels) state.before ??= old.levels
      if (old && old.processing !== node.processing) state.sections = this.#sections(node.processing, state.sections)
      states.set(node.key, state)
    }
    const known = new Set(nodes.map((n) => n.key))
    const gone = this.#nodes.filter((n) => n.input !== null && !known.has(n.key) && this.#sounds)
    this.#leaving = [...this.#leaving.filter((l) => !known.has(l.node.key)), ...gone.map((node) => this.#leaves(node))]
    this.#nodes = nodes
    this.#latency = deskLatency(nodes)
    this.#states = states
  }

  /** A strip that is no longer there falls silent by itself, straight to the programme as loud as it was on its way there. */
  #leaves(node: DeskNode): Leaving {
    const state = this.#states.get(node.key) as NodeState
    for (let into = node.into; into !== null; into = this.#nodes[into].into) {
      const through = this.#states.get(this.#nodes[into].key) as NodeState
      state.left *= through.left
      state.right *= through.right
    }
    return { node: { ...node, into: null, left: 0, right: 0 }, state }
  }

  /** What of the master is heard, from the beginning on. */
  play(passages: readonly DeskPassage[]): void {
    this.#passages = passages
  }

  /** All strips as if nothing had sounded. */
  reset(): void {
    this.#states = new Map(this.#nodes.map((node) => [node.key, this.#fresh(node, 1)]))
    this.#leaving = []
    this.#sounds = false
  }

  /** @param share of its level that it begins with */
  #fresh(node: DeskNode, share: number): NodeState {
    return {
      left: share * node.left,
      right: share * node.right,
      sections: this.#sections(node.processing, []),
      repair: new RepairRun(this.#rate),
      gate: new GateRun(this.#rate),
      compressor: new CompressorRun(this.#rate),
      line: new DelayLine(),
      mono: true,
      before: null,
      came: 0,
      went: 0,
      peak: 0,
      power: 0,
      frames: 0,
    }
  }

  #sections({ repair, highPassHz, bands = [] }: Processing, old: readonly SectionRow[]): NodeState['sections'] {
    const sections: readonly Biquad[] = [
      ...(repair?.hum?.on ? humSections(repair.hum, this.#rate) : []),
      ...(highPassHz ? highPassSections(highPassHz, this.#rate) : []),
      ...bands.slice(0, MOST_BANDS).flatMap((b) => (b.gainDb === 0 ? [] : [bandSection(b, this.#rate)])),
    ]
    return [0, 1].map((c) => new SectionRow(sections, old[c]))
  }

  /**
   * One block. Blocks follow each other without a gap; all but the last have whole stretches of 16 frames. What goes in
   * comes out {@link deskLatency} later, and levels are taken from the time that it belongs to.
   * @param inputs by their numbers
   * @param out left and right, as long as the block; overwritten
   * @param at seconds since the beginning of what is heard
   * @param speed seconds of the master that pass in one
   */
  run(inputs: readonly DeskInput[], out: readonly [Float32Array, Float32Array], at: number, speed = 1): void {
    const frames = out[0].length
    this.#room(frames)
    out[0].fill(0)
    out[1].fill(0)
    for (const [i, { input }] of this.#nodes.entries()) if (input === null) for (const sum of this.#sums[i]) sum.fill(0, 0, frames)
    const latency = this.#latency
    const parts = partsOf(this.#passages, at - (latency * speed) / this.#rate, frames, speed / this.#rate)
    const step = (speed * FLICKS_PER_SECOND) / this.#rate
    const block = { inputs, out, parts, step, frames, later: latency }
    this.#sounds ||= inputs.some((i) => i !== null)
    for (const [i, node] of this.#nodes.entries()) this.#strip(node, this.#states.get(node.key) as NodeState, this.#sums[i], block)
    for (const [k, { node, state }] of this.#leaving.entries()) this.#strip(node, state, this.#sums[this.#nodes.length + k], block)
    this.#addWaiting()
    if (this.#leaving.length > 0) this.#leaving = this.#leaving.filter(({ state }) => state.left !== 0 || state.right !== 0)
  }

  /** Strips that only have a level wait until there are many: what they go to is touched once for all of them. */
  #wait(sound: Float32Array, left: number, right: number, into: readonly [Float32Array, Float32Array]): void {
    if (into !== this.#waitFor || this.#sum.full) this.#addWaiting()
    this.#waitFor = into
    this.#sum.add(sound, left, right)
  }

  #addWaiting(): void {
    if (this.#waitFor) this.#sum.addTo(this.#waitFor)
    this.#waitFor = null
  }

  /** One strip of a block: from what comes in to what it goes to. */
  #strip(node: DeskNode, state: NodeState, sums: readonly Float32Array[], { inputs, out, parts, step, frames, later: latency }: Block): void {
    const input = node.input === null ? undefined : (inputs[node.input] ?? null)
    const later = node.input === null ? 0 : latency
    if (node.input === null) this.#addWaiting()
    const idle = state.sections[0].count === 0 && !node.processing.gate && !node.processing.compressor && node.delay === 0 && later === 0
    if (input === null && idle) {
      arrive(state, node)
      state.frames += frames
      state.before = null
      return
    }
    // What falls silent, or to one channel as browsers do with silence, rings out in as many as it had.
    if (input && input.length > 1) state.mono = false
    const mono = input !== undefined && state.mono
    const sound = this.#soundOf(input, sums, mono, frames, idle)
    const match = this.#processed(sound, node, state, later + Math.round(Math.min(node.delay, MOST_DELAY) * this.#rate))
    const level = this.#levels(node.levels, state, parts, step, frames)
    const into = node.into === null ? out : (this.#sums[node.into] as unknown as [Float32Array, Float32Array])
    const [left, right] = [match * node.left, match * node.right]
    if (mono && !level && state.left === left && state.right === right) this.#wait(sound[0], left, right, into)
    else {
      this.#give(sound[0], into[0], level, state, 'left', left)
      this.#give(sound[1] ?? sound[0], into[1], level, state, 'right', right)
    }
    if (this.#metered) measure(sound, level, Math.max(Math.abs(node.left), Math.abs(node.right)), state)
  }

  /**
   * The channels of a strip's sound: its own to be worked on, or, where nothing is done to it, those that came in.
   * @param input undefined: what other strips gave to it
   */
  #soundOf(input: DeskInput | undefined, sums: readonly Float32Array[], mono: boolean, frames: number, idle: boolean): readonly Float32Array[] {
    const channels = mono ? 1 : 2
    const cut = (s: Float32Array) => (s.length === frames ? s : s.subarray(0, frames))
    if (idle && input && input.length >= channels) return input.slice(0, channels).map(cut)
    const own = sums.slice(0, channels).map(cut)
    // One channel is both sides of two.
    if (input) for (const [c, channel] of own.entries()) channel.set(cut(input[c] ?? input[0]))
    else if (input === null) for (const channel of own) channel.fill(0)
    return own
  }

  /**
   * Does to a strip's sound what it is to do.
   * @param later by so many frames it comes later in all
   * @returns the factor that makes what is bypassed as loud as it was with its processing
   */
  #processed(sound: readonly Float32Array[], { processing, bypassed, input }: DeskNode, state: NodeState, later: number): number {
    const { sections } = state
    const { repair, gate, compressor } = processing
    const mends = input !== null && looksAhead(repair)
    const works = sections[0].count > 0 || gate !== undefined || compressor !== undefined
    const plain = !mends && !works
    if (plain || bypassed) {
      state.line.run(sound, later)
      return !plain && state.came > 0 ? Math.max(1 / MOST_MATCH, Math.min(MOST_MATCH, Math.sqrt(state.went / state.came))) : 1
    }
    const came = this.#metered ? powerOf(sound) : 0
    state.line.run(sound, later - (mends ? state.repair.run(repair as Repair, sound) : 0))
    if (works) {
      const work = this.#work
      work.put(sound)
      work.sections(sections)
      if (gate) state.gate.run(gate, work)
      if (compressor) state.compressor.run(compressor, work)
      work.take(sound)
    }
    if (this.#metered) {
      const left = Math.exp(-sound[0].length / (MATCH_SECONDS * this.#rate))
      state.came = left * state.came + (1 - left) * came
      state.went = left * state.went + (1 - left) * powerOf(sound)
    }
    return 1
  }

  /** How loud each strip was since this was asked last, behind its level: highest sample and root mean square, linear, and what its compressor takes away, dB. */
  meters(): Map<string, { peak: number; rms: number; reductionDb: number }> {
    return new Map(
      [...this.#states].map(([key, state]) => {
        const told = { peak: state.peak, rms: state.frames > 0 ? Math.sqrt(state.power / state.frames) : 0, reductionDb: state.compressor.reductionDb }
        state.peak = 0
        state.power = 0
        state.frames = 0
        return [key, told]
      }),
    )
  }

  #room(frames: number): void {
    if (this.#level.length < frames) {
      this.#level = new Float32Array(frames)
      this.#other = new Float32Array(frames)
      this.#sums = []
    }
    while (this.#sums.length < this.#nodes.length + this.#leaving.length)
      this.#sums.push([new Float32Array(this.#level.length), new Float32Array(this.#level.length)])
  }

  /** Factors of all frames by the curves of a strip; null where they are all 1. */
  #levels(curves: readonly LevelCurve[], state: NodeState, parts: readonly Part[], step: number, frames: number): Float32Array | null {
    const { before } = state
    state.before = null
    if (!before && curves.every((c) => c.points.length === 0)) return null
    const level = this.#level.subarray(0, frames)
    level.fill(1)
    for (const part of parts) timesCurves(curves, level, part, step, this.#other)
    if (!before) return level
    // From the levels of before to those of now within one block.
    const old = new Float32Array(frames).fill(1)
    for (const part of parts) timesCurves(before, old, part, step, this.#other)
    for (let n = 0; n < frames; n++) level[n] = old[n] + ((level[n] - old[n]) * (n + 1)) / frames
    return level
  }

  #give(sound: Float32Array, into: Float32Array, level: Float32Array | null, state: NodeState, side: 'left' | 'right', wanted: number): void {
    const frames = sound.length
    let gain = state[side]
    let n = 0
    if (gain !== wanted) {
      const left = Math.exp(-1 / (GLIDE * this.#rate))
      for (; n < frames && Math.abs(gain - wanted) > ARRIVED; n++) {
        gain = wanted + (gain - wanted) * left
        into[n] += gain * (level ? level[n] : 1) * sound[n]
      }
      if (Math.abs(gain - wanted) <= ARRIVED) gain = wanted
      state[side] = gain
    }
    if (gain === 0) return
    if (level) for (; n < frames; n++) into[n] += gain * level[n] * sound[n]
    else if (gain === 1) for (; n < frames; n++) into[n] += sound[n]
    else for (; n < frames; n++) into[n] += gain * sound[n]
  }
}

function arrive(state: NodeState, node: DeskNode): void {
  state.left = node.left
  state.right = node.right
}

const powerOf = (sound: readonly Float32Array[]): number => {
  let power = 0
  for (const channel of sound) for (let n = 0; n < channel.length; n++) power += channel[n] * channel[n]
  return power / (sound.length * sound[0].length)
}

function measure(sound: readonly Float32Array[], level: Float32Array | null, gain: number, state: NodeState): void {
  let [peak, power] = [0, 0]
  for (const channel of sound)
    for (let n = 0; n < channel.length; n++) {
      const x = Math.abs(level ? level[n] * channel[n] : channel[n])
      if (x > peak) peak = x
      power += x * x
    }
  state.peak = Math.max(state.peak, gain * peak)
  state.power += (gain * gain * power) / sound.length
  state.frames += sound[0].length
}

function timesCurves(curves: readonly LevelCurve[], level: Float32Array, { from, to, master, coming }: Part, step: number, spare: Float32Array): void {
  if (coming) spare.fill(1, from, to)
  for (const curve of curves) {
    timesCurve(curve, level, from, to, master, step)
    if (coming) timesCurve(curve, spare, from, to, coming.master, step)
  }
  if (coming) for (let n = from; n < to; n++) level[n] += (coming.share + coming.grows * (n - from)) * (spare[n] - level[n])
}

/**
 * Divides a block by what is heard in it.
 * @param at seconds since the beginning of what is heard, of the first frame
 * @param step seconds from a frame to the next
 */
function partsOf(passages: readonly DeskPassage[], at: number, frames: number, step: number): Part[] {
  const parts: Part[] = []
  if (passages.length === 0) return parts
  const flicksAt = (p: DeskPassage, time: number) => (p.master + (time - p.after)) * FLICKS_PER_SECOND
  let i = 0
  for (let n = 0; n < frames; ) {
    const time = at + n * step
    while (i < passages.length - 1 && time >= passages[i].after + passages[i].length) i++
    const [one, two] = [passages[i], passages[i + 1]]
    const before = passages[i - 1]
    const inJoin = before && meet(before, one) && time < one.after + one.fadeIn / 2
    const ends = one.after + one.length
    const next = two && meet(one, two) ? two : null
    const outOf = next !== null && time >= ends - next.fadeIn / 2
    const until = inJoin ? one.after + one.fadeIn / 2 : next && !outOf ? ends - next.fadeIn / 2 : two ? ends : Number.POSITIVE_INFINITY
    const to = Math.min(frames, Math.max(n + 1, Math.ceil((until - at) / step)))
    const [a, b] = inJoin ? [before, one] : outOf ? [one, next] : [one, null]
    const share = b ? (time - b.after) / b.fadeIn + 0.5 : 0
    parts.push({ from: n, to, master: flicksAt(a, time), coming: b ? { master: flicksAt(b, time), share, grows: step / b.fadeIn } : null })
    n = to
  }
  return parts
}

/** Whether a passage fades into the next one. */
const meet = (a: DeskPassage, b: DeskPassage): boolean => b.fadeIn > 0 && Math.abs(a.after + a.length - b.after) < 1e-9

/** Gives samples out later. */
class DelayLine {
  /** What came last, as far back as has been asked for. */
  #rings: Float32Array[] = []
  #at = 0

  /** @param sound channels, in place @param frames 0 and more */
  run(sound: readonly Float32Array[], frames: number): void {
    if (frames === 0) {
      this.#rings = []
      return
    }
    this.#room(sound.length, frames)
    const size = this.#rings[0].length
    let at = this.#at
    for (const [c, channel] of sound.entries()) {
      at = this.#at
      const ring = this.#rings[c]
      let from = (at - frames + size) % size
      for (let n = 0; n < channel.length; n++) {
        ring[at] = channel[n]
        channel[n] = ring[from]
        at = at + 1 === size ? 0 : at + 1
        from = from + 1 === size ? 0 : from + 1
      }
    }
    this.#at = at
  }

  #room(channels: number, frames: number): void {
    const size = this.#rings[0]?.length ?? 0
    if (this.#rings.length === channels && size > frames) return
    const old = this.#rings
    const wanted = size > frames ? size : frames + 1
    this.#rings = Array.from({ length: channels }, (_, c) => {
      const ring = new Float32Array(wanted)
      // The oldest first, the newest at the end.
      if (old[c]) {
        ring.set(old[c].subarray(this.#at), wanted - size)
        ring.set(old[c].subarray(0, this.#at), wanted - this.#at)
      }
      return ring
    })
    if (wanted !== size) this.#at = 0
  }
}

/** Factors of left and right for a place from −1 left to 1 right: the side that is left behind falls, the other stays as it is. */
export const panned = (pan: number): readonly [number, number] => [Math.min(1, 1 - pan), Math.min(1, 1 + pan)]
