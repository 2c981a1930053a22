import { type DeskNode, type DeskPassage, deskLatency, MOST_TOGETHER } from '@pendolo/core/mix'
import { clipToMaster, FLICKS_PER_SECOND, masterToClip, secondsToFlicks } from '@pendolo/core/time'
import { ALL_FORMATS, AudioBufferSink, Input, UrlSource } from 'mediabunny'
import { Clicks } from './clicks.ts'
import deskUrl from './desk.worklet.ts?worker&url'
import { OntoClock, type Piece } from './onto-clock.ts'
import type { PitchKeeper } from './stretch.ts'
import type { FromDesk, Meter, PlayInput, PlaySounds, ToDesk } from './types.ts'

/** Frames a second of what is heard, as in films. */
export const SOUND_RATE = 48000
/** Sound scheduled ahead of the clock, s. */
const AHEAD = 0.9
/** Inputs that the desk has to begin with; it gets more when it needs them: each costs the audio thread something, heard or not. */
const INPUTS = 2

interface Shape {
  readonly at: number
  readonly ends: number
  readonly fadeIn: number
  readonly fadeOut: number
}

/** Writes the fades of a passage on the audio clock, each frame with what the fade has in its middle. */
function shapeGain(gain: AudioParam, { currentTime: now, sampleRate }: BaseAudioContext, { at, ends, fadeIn, fadeOut }: Shape): void {
  const early = 0.5 / sampleRate
  const put = (value: number, time: number) => gain.setValueAtTime(value, Math.max(now, time - early))
  const lead = (value: number, time: number) => gain.linearRampToValueAtTime(value, Math.max(now, time - early))
  put(fadeIn > 0 ? 0 : 1, at - fadeIn / 2)
  if (fadeIn > 0) lead(1, at + fadeIn / 2)
  if (!Number.isFinite(ends) || fadeOut === 0) return
  put(1, ends - fadeOut / 2)
  lead(0, ends + fadeOut / 2)
}

/** One track of a file, and where its buffers go. */
interface Voice {
  readonly track: number
  readonly into: AudioNode
}

const fromOf = (inputs: readonly PlayInput[]): string => inputs.map(({ from }) => (from ? `${from.track}.${from.channel}` : '')).join(' ')

/** Names an input; its way into the desk stays as long as it has this name. */
const keyOf = ({ clipId, from }: PlayInput): string => (from ? `${clipId} ${from.track}.${from.channel}` : clipId)

/** Short curves are compared by what they hold, long ones are the same object as long as they are the same. */
const SHORT = 64

const sameLevels = (a: DeskNode['levels'], b: DeskNode['levels']): boolean =>
  a.length === b.length && a.every((curve, i) => curve === b[i] || (curve.points.length <= SHORT && JSON.stringify(curve) === JSON.stringify(b[i])))

/** A moment that is heard while one searches rises and falls in so long, s. */
const GRAIN_FADE = 0.02

const channelsOf = (buffer: AudioBuffer) => Array.from({ length: buffer.numberOfChannels }, (_, c) => buffer.getChannelData(c))

async function all<T>(list: AsyncIterable<T>): Promise<T[]> {
  const out: T[] = []
  for await (const one of list) out.push(one)
  return out
}

/** The sound of one clip, or channels of it, streamed and scheduled on the audio clock while playing. */
class SoundLane {
  readonly #context: BaseAudioContext
  readonly #inputs: readonly PlayInput[]
  /** Where each of its inputs goes into the desk. */
  readonly ports: ReadonlyMap<string, AudioNode>
  readonly #input: Input
  readonly #voices: readonly Voice[]
  readonly #sinks: Promise<(AudioBufferSink | null)[]>
  readonly #nodes = new Set<AudioBufferSourceNode>()
  readonly #ahead: number
  #run = 0

  /** @param inputs of one clip @param ahead sound scheduled ahead of the clock, s */
  constructor(context: BaseAudioContext, inputs: readonly PlayInput[], ahead: number) {
    this.#context = context
    this.#ahead = ahead
    this.#inputs = inputs
    const ports = new Map<string, AudioNode>()
    const voices = new Map<number, Voice>()
    for (const input of inputs) {
      const port = context.createGain()
      ports.set(keyOf(input), port)
      if (!input.from) {
        voices.set(0, { track: 0, into: port })
        continue
      }
      const { track, channel } = input.from
      const voice = voices.get(track) ?? { track, into: context.createChannelSplitter(MOST_TOGETHER) }
      voices.set(track, voice)
      voice.into.connect(port, channel)
    }
    this.ports = ports
    this.#voices = [...voices.values()]
    this.#input = new Input({ formats: ALL_FORMATS, source: new UrlSource(inputs[0].url) })
    this.#sinks = this.#input
      .getAudioTracks()
      .then((tracks) => this.#voices.map(({ track }) => (tracks[track] ? new AudioBufferSink(tracks[track]) : null)))
      .catch(() => [])
  }

  /** Whether it gives just what these inputs want. */
  gives(inputs: readonly PlayInput[]): boolean {
    const [a, b] = [this.#inputs[0], inputs[0]]
    return (
      a.url === b.url &&
      a.map.start === b.map.start &&
      a.map.rate === b.map.rate &&
      fromOf(this.#inputs) === fromOf(inputs) &&
      JSON.stringify(a.map.jumps) === JSON.stringify(b.map.jumps)
    )
  }

  /** Plays passages of the master one after the other, the first of them from context second `at` on. */
  async start(passages: readonly DeskPassage[], at: number, speed: number): Promise<void> {
    this.stop()
    const run = this.#run
    const sinks = await this.#sinks
    await Promise.all(sinks.map((sink, i) => sink && this.#startVoice(sink, this.#voices[i].into, passages, at, speed, run)))
  }

  async #startVoice(sink: AudioBufferSink, into: AudioNode, passages: readonly DeskPassage[], at: number, speed: number, run: number): Promise<void> {
    try {
      for (const passage of passages) {
        if (run !== this.#run) return
        const begins = at + passage.after / speed
        // A passage that lies far ahead is not decoded yet.
        while (begins - this.#context.currentTime > this.#ahead && run === this.#run) await new Promise((resolve) => setTimeout(resolve, 100))
        await this.#play(sink, into, passage, begins, speed, run)
      }
    } catch {
      // A sound that breaks off is silence from there on.
    }
  }

  /** One passage; its gain falls and rises over the joins with others. */
  async #play(sink: AudioBufferSink, into: AudioNode, { master, length, fadeIn, fadeOut }: DeskPassage, at: number, speed: number, run: number): Promise<void> {
    const [{ map }] = this.#inputs
    const shape = this.#context.createGain()
    shape.connect(into)
    const ends = at + length / speed
    const first = at - fadeIn / 2
    shapeGain(shape.gain, this.#context, { at, ends, fadeIn, fadeOut })
    const from = Math.max(0, masterToClip(secondsToFlicks(master - (speed * fadeIn) / 2), map) / FLICKS_PER_SECOND)
    const { sampleRate } = this.#context
    const onto = map.rate !== 1 && speed === 1 ? new OntoClock(map.rate) : null
    const put = (buffer: AudioBuffer, when: number, rate: number) => this.#put(buffer, when, shape, { first, end: ends + fadeOut / 2, speed, rate })
    const putPieces = (pieces: readonly Piece[]) => {
      for (const { channels, frame } of pieces) put(this.#bufferOf(channels), frame / sampleRate, 1)
    }
    for await (const { buffer, timestamp } of sink.buffers(from)) {
      if (run !== this.#run) return
      const when = at + (clipToMaster(secondsToFlicks(timestamp), map) / FLICKS_PER_SECOND - master) / speed
      if (when >= ends + fadeOut / 2) break
      if (onto) putPieces(onto.add(channelsOf(buffer), when * sampleRate))
      else put(buffer, when, map.rate)
      while (when - this.#context.currentTime > this.#ahead && run === this.#run) await new Promise((resolve) => setTimeout(resolve, 100))
      if (run !== this.#run) return
    }
    if (onto) putPieces(onto.end())
  }

  #bufferOf(channels: readonly Float32Array<ArrayBuffer>[]): AudioBuffer {
    const buffer = this.#context.createBuffer(channels.length, channels[0].length, this.#context.sampleRate)
    for (const [c, samples] of channels.entries()) buffer.copyToChannel(samples, c)
    return buffer
  }

  /** Puts a piece of sound on the audio clock, as far as it lies between two of its seconds and has not gone by. */
  #put(buffer: AudioBuffer, wanted: number, into: AudioNode, { first, end, speed, rate }: { first: number; end: number; speed: number; rate: number }): void {
    // A clock that agrees is played sample by sample, each at the nearest of the audio clock.
    const grid = (time: number) => (rate === 1 && speed === 1 ? Math.round(time * this.#context.sampleRate) / this.#context.sampleRate : time)
    const when = grid(wanted)
    const late = grid(Math.max(this.#context.currentTime, first)) - when
    const whole = (buffer.duration * rate) / speed
    if (late >= whole) return
    const node = this.#context.createBufferSource()
    node.buffer = buffer
    node.playbackRate.value = speed / rate
    node.connect(into)
    node.onended = () => this.#nodes.delete(node)
    this.#nodes.add(node)
    if (late > 0) node.start(when + late, (speed * late) / rate)
    else node.start(when)
    if (Number.isFinite(end) && when + whole > end) node.stop(end)
  }

  /** Lets a moment of the master be heard as soon as it is decoded; what sounds of an earlier one fades by itself. */
  async grain(master: number, length: number): Promise<void> {
    const [{ map }] = this.#inputs
    const run = this.#run
    const [from, to] = [master, master + length].map((t) => masterToClip(secondsToFlicks(t), map) / FLICKS_PER_SECOND)
    if (to <= 0) return
    try {
      const sinks = await this.#sinks
      const pieces = await Promise.all(sinks.map(async (sink) => (sink ? await all(sink.buffers(Math.max(0, from), to)) : [])))
      if (run !== this.#run) return
      const at = this.#context.currentTime + GRAIN_FADE
      for (const [i, list] of pieces.entries()) {
        const shape = this.#context.createGain()
        shape.connect(this.#voices[i].into)
        const ends = at + length
        shapeGain(shape.gain, this.#context, { at, ends, fadeIn: GRAIN_FADE, fadeOut: GRAIN_FADE })
        for (const { buffer, timestamp } of list)
          this.#put(buffer, at + clipToMaster(secondsToFlicks(timestamp), map) / FLICKS_PER_SECOND - master, shape, {
            first: at - GRAIN_FADE / 2,
            end: ends + GRAIN_FADE / 2,
            speed: 1,
            rate: map.rate,
          })
      }
    } catch {
      // A sound that breaks off is not heard here.
    }
  }

  stop(): void {
    this.#run++
    for (const node of this.#nodes) node.stop()
    this.#nodes.clear()
  }

  close(): void {
    this.stop()
    for (const port of this.ports.values()) port.disconnect()
    this.#input.dispose()
  }
}

/** All sounds that are heard, through the strips of the desk, on one audio clock. */
export class SoundDesk<C extends BaseAudioContext = AudioContext> {
  readonly context: C
  readonly #ahead: number
  readonly #out: GainNode
  readonly #lanes = new Map<string, SoundLane>()
  readonly clicks: Clicks
  #playing: { passages: readonly DeskPassage[]; at: number; speed: number } | null = null
  #pitch: Promise<PitchKeeper | null> | null = null
  /** What keeps the pitch at the speed that was prepared; null at the speed of the recording. */
  #keeper: PitchKeeper | null = null
  /** While its code comes, and once it is there; null where it could not be fetched. */
  #loaded: Promise<void> | null = null
  /** What runs the strips; null until its code has come. */
  #node: AudioWorkletNode | null = null
  /** Which input of it each port goes to. */
  readonly #slots = new Map<string, number>()
  #sounds: PlaySounds = { inputs: [], nodes: [] }
  /** Strips as the desk knows them. */
  #told: ReadonlyMap<string, DeskNode> = new Map()
  #bypassed: ReadonlySet<string> = new Set()
  #meters: ReadonlyMap<string, Meter> = new Map()
  #given: Promise<unknown> = Promise.resolve()

  /** @param ahead sound scheduled ahead of the clock, s */
  constructor(context: C = new AudioContext({ latencyHint: 'interactive', sampleRate: SOUND_RATE }) as BaseAudioContext as C, ahead = AHEAD) {
    this.context = context
    this.#ahead = ahead
    this.#out = this.context.createGain()
    this.#out.connect(this.context.destination)
    this.clicks = new Clicks(this.context, this.#out)
    void this.#load()
  }

  /** Fetches the desk's code. Where that fails all is silent, pictures go on, and the next time it is tried again. */
  #load(): Promise<void> {
    this.#loaded ??= this.context.audioWorklet.addModule(deskUrl).then(
      () => this.#wire(),
      () => {
        this.#loaded = null
      },
    )
    return this.#loaded
  }

  /** What is heard, and how; what is not among it is not even decoded, unless it was heard since playing began: it may come back at once. */
  set(sounds: PlaySounds): void {
    this.#sounds = sounds
    const byClip = new Map<string, PlayInput[]>()
    for (const input of sounds.inputs) byClip.set(input.clipId, [...(byClip.get(input.clipId) ?? []), input])
    for (const [id, lane] of this.#lanes) {
      const inputs = byClip.get(id)
      if (inputs ? lane.gives(inputs) : this.#playing !== null) continue
      this.#drop(id, lane)
    }
    for (const [id, inputs] of byClip) {
      if (this.#lanes.has(id)) continue
      const lane = new SoundLane(this.context, inputs, this.#ahead)
      this.#lanes.set(id, lane)
      this.#connect(lane)
      if (this.#playing) void lane.start(this.#playing.passages, this.#playing.at, this.#playing.speed)
    }
    this.#tellStrips()
  }

  #drop(id: string, lane: SoundLane): void {
    lane.close()
    for (const key of lane.ports.keys()) this.#slots.delete(key)
    this.#lanes.delete(id)
  }

  /** Leads a clip's sounds into inputs of the desk that are free. */
  #connect(lane: SoundLane): void {
    if (!this.#node) return
    const taken = new Set(this.#slots.values())
    for (const [key, port] of lane.ports) {
      let slot = 0
      while (taken.has(slot)) slot++
      if (slot >= this.#node.numberOfInputs) {
        this.#wire()
        return
      }
      taken.add(slot)
      this.#slots.set(key, slot)
      port.connect(this.#node, 0, slot)
    }
  }

  /** Makes the desk, with room for all that is there, and leads all into it. */
  #wire(): void {
    const count = [...this.#lanes.values()].reduce((sum, lane) => sum + lane.ports.size, 0)
    const numberOfInputs = Math.max(INPUTS, 2 ** Math.ceil(Math.log2(count + 1)))
    this.#node?.disconnect()
    this.#node = new AudioWorkletNode(this.context, 'desk', { numberOfInputs, outputChannelCount: [2] })
    this.#node.port.onmessage = ({ data }: MessageEvent<FromDesk>) => {
      this.#meters = new Map(data)
    }
    this.#node.connect(this.#out)
    this.#slots.clear()
    this.#told = new Map()
    for (const lane of this.#lanes.values()) {
      for (const port of lane.ports.values()) port.disconnect()
      this.#connect(lane)
    }
    this.#tellStrips()
    if (this.#playing) this.#tellPlaying(this.#playing, false)
  }

  /** Strips that are heard without their processing, by their keys. */
  bypass(keys: ReadonlySet<string>): void {
    this.#bypassed = keys
    this.#tellStrips()
  }

  #tell(message: ToDesk): void {
    this.#node?.port.postMessage(message)
  }

  /** Tells the strips, of levels and processing only what has changed: the audio thread has no time to compare. */
  #tellStrips(): void {
    const { inputs, nodes } = this.#sounds
    const before = this.#told
    this.#told = new Map(nodes.map((node) => [node.key, node]))
    this.#tell({
      type: 'set',
      nodes: nodes.map((node) => {
        const old = this.#node ? before.get(node.key) : undefined
        return {
          ...node,
          ...(node.input !== null && { input: this.#slots.get(keyOf(inputs[node.input])) ?? null }),
          ...(this.#bypassed.has(node.key) && { bypassed: true }),
          levels: old && sameLevels(old.levels, node.levels) ? null : node.levels,
          processing: old && JSON.stringify(old.processing) === JSON.stringify(node.processing) ? null : node.processing,
        }
      }),
    })
    if (!this.#node) this.#told = new Map()
  }

  #tellPlaying({ passages, at, speed }: { passages: readonly DeskPassage[]; at: number; speed: number }, fresh: boolean): void {
    this.#tell({ type: 'play', passages, at, speed, fresh })
  }

  /** How loud each strip is now, by its key; '' is the programme. */
  meters(): ReadonlyMap<string, Meter> {
    return this.#meters
  }

  /** What sounds now, by clip: level as root mean square, 0..1, and place from −1 left to 1 right. */
  levels(): Record<string, { level: number; pan: number }> {
    return Object.fromEntries(
      this.#sounds.nodes.flatMap(({ key, left, right }) => {
        if (!this.#lanes.has(key)) return []
        return [[key, { level: this.#meters.get(key)?.rms ?? 0, pan: (Math.abs(right) - Math.abs(left)) / Math.max(Math.abs(left), Math.abs(right), 1e-9) }]]
      }),
    )
  }

  /** Makes ready for a speed; other than 1, sound goes through what keeps its pitch. */
  async prepare(speed: number): Promise<void> {
    await this.#load()
    // Only who plays at another speed loads it.
    if (speed !== 1)
      this.#pitch ??= import('./stretch.ts').then(({ makePitchKeeper }) => makePitchKeeper(this.context as BaseAudioContext as AudioContext)).catch(() => null)
    const keeper = speed === 1 ? null : await this.#pitch
    if (keeper !== this.#keeper) {
      this.#out.disconnect()
      this.#keeper?.node.disconnect()
      this.#out.connect(keeper?.node ?? this.context.destination)
      keeper?.node.connect(this.context.destination)
      this.#keeper = keeper
    }
    keeper?.keep(speed)
  }

  /** Starts all sounds at the speed that was prepared, at a second of the clock; @returns the context second at which the first passage is heard */
  start(passages: readonly DeskPassage[], speed = 1, at = this.context.currentTime + 0.08): number {
    this.#playing = { passages, at, speed }
    this.#tellPlaying(this.#playing, true)
    this.#given = Promise.all([...this.#lanes.values()].map((lane) => lane.start(passages, at, speed)))
    if (speed === 1) this.clicks.start(passages, at + this.latency)
    return at + (this.#keeper?.latency ?? 0)
  }

  /** By how much what is heard comes later than it was started, s: repairs look ahead. */
  get latency(): number {
    return deskLatency(this.#sounds.nodes) / this.context.sampleRate
  }

  /** When all that is heard has been given to the clock. */
  async given(): Promise<void> {
    await this.#given
  }

  /** Lets a moment of the master be heard, s, while nothing plays; @returns when all of it has been given to the clock */
  async grain(master: number, length: number): Promise<void> {
    await this.prepare(1)
    this.#tellPlaying(
      { passages: [{ master, after: 0, length: Number.POSITIVE_INFINITY, fadeIn: 0, fadeOut: 0 }], at: this.context.currentTime, speed: 0 },
      false,
    )
    await Promise.all([...this.#lanes.values()].map((lane) => lane.grain(master, length)))
  }

  stop(): void {
    this.#playing = null
    const heard = new Set(this.#sounds.inputs.map((i) => i.clipId))
    for (const [id, lane] of this.#lanes)
      if (heard.has(id)) lane.stop()
      else this.#drop(id, lane)
    this.clicks.stop()
  }
}
