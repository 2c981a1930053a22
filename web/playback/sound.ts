import { type LevelPoint, levelAt } from '@pendolo/core/mix'
import { clipToMaster, FLICKS_PER_SECOND, masterToClip, secondsToFlicks } from '@pendolo/core/time'
import { ALL_FORMATS, AudioBufferSink, Input, UrlSource } from 'mediabunny'
import { Clicks } from './clicks.ts'
import type { PitchKeeper } from './stretch.ts'
import type { Passage, PlayChannel, PlaySound } from './types.ts'

/** Sound scheduled ahead of the clock, s. */
const AHEAD = 0.9

interface Shape {
  readonly at: number
  readonly master: number
  readonly ends: number
  readonly fadeIn: number
  readonly fadeOut: number
  readonly levels: readonly LevelPoint[]
  /** Seconds of the master that pass in one of the audio clock. */
  readonly speed: number
}

/** Writes a passage's gain on the audio clock: its fades, or how the recording gives way to others of the master. */
function shapeGain(gain: AudioParam, now: number, { at, master, ends, fadeIn, fadeOut, levels, speed }: Shape): void {
  const level = (time: number) => levelAt(levels, secondsToFlicks(master + speed * (time - at)))
  const begins = Math.max(now, at - fadeIn / 2)
  gain.setValueAtTime(fadeIn > 0 ? 0 : level(begins), begins)
  if (fadeIn > 0) gain.linearRampToValueAtTime(level(at + fadeIn / 2), Math.max(begins, at + fadeIn / 2))
  for (const point of levels) {
    const time = at + (point.time / FLICKS_PER_SECOND - master) / speed
    if (time > begins + fadeIn && time < ends - fadeOut / 2) gain.linearRampToValueAtTime(point.gain, time)
  }
  if (!Number.isFinite(ends) || fadeOut === 0) return
  const falls = Math.max(begins, ends - fadeOut / 2)
  gain.setValueAtTime(level(falls), falls)
  gain.linearRampToValueAtTime(0, Math.max(falls, ends + fadeOut / 2))
}

/** One track of a sound's file, and where its buffers go. */
interface Voice {
  readonly track: number
  readonly into: AudioNode
  /** Gains left and right of each of its channels that is heard, by number of the channel. */
  readonly sides: ReadonlyMap<number, readonly [GainNode, GainNode]>
}

const trackOf = (channels: readonly PlayChannel[] | undefined): string =>
  channels === undefined ? '' : channels.map(({ track, channel }) => `${track}.${channel}`).join(' ')

/** Leads each channel that is heard to the left and right of a node. */
function voicesOf(context: AudioContext, channels: readonly PlayChannel[], out: AudioNode): Voice[] {
  const merger = context.createChannelMerger(2)
  merger.connect(out)
  return [...new Set(channels.map((c) => c.track))].map((track) => {
    const own = channels.filter((c) => c.track === track)
    const into = context.createChannelSplitter(2)
    const sides = new Map(
      own.map(({ channel, left, right }) => {
        const gains = [left, right].map((gain, side) => {
          const node = context.createGain()
          node.gain.value = gain
          into.connect(node, channel)
          node.connect(merger, 0, side)
          return node
        })
        return [channel, gains as [GainNode, GainNode]] as const
      }),
    )
    return { track, into, sides }
  })
}

/** A moment that is heard while one searches rises and falls in so long, s. */
const GRAIN_FADE = 0.02

async function all<T>(list: AsyncIterable<T>): Promise<T[]> {
  const out: T[] = []
  for await (const one of list) out.push(one)
  return out
}

/** One sound, streamed and scheduled on the audio clock while playing. */
class SoundLane {
  readonly #context: AudioContext
  readonly #gain: GainNode
  readonly #pan: StereoPannerNode
  readonly #meter: AnalyserNode
  readonly #input: Input
  readonly #voices: readonly Voice[]
  readonly #sinks: Promise<(AudioBufferSink | null)[]>
  readonly #nodes = new Set<AudioBufferSourceNode>()
  #sound: PlaySound
  #run = 0

  constructor(context: AudioContext, out: AudioNode, sound: PlaySound) {
    this.#context = context
    this.#sound = sound
    this.#gain = context.createGain()
    this.#pan = context.createStereoPanner()
    // A mono sound keeps its level on both sides, as in the film.
    this.#pan.channelCount = 2
    this.#pan.channelCountMode = 'explicit'
    this.#meter = context.createAnalyser()
    this.#gain.connect(this.#meter)
    this.#gain.connect(this.#pan).connect(out)
    this.#input = new Input({ formats: ALL_FORMATS, source: new UrlSource(sound.url) })
    this.#voices = sound.channels ? voicesOf(context, sound.channels, this.#gain) : [{ track: 0, into: this.#gain, sides: new Map() }]
    this.#sinks = this.#input
      .getAudioTracks()
      .then((tracks) => this.#voices.map(({ track }) => (tracks[track] ? new AudioBufferSink(tracks[track]) : null)))
      .catch(() => [])
    this.set(sound, true)
  }

  set(sound: PlaySound, atOnce = false): void {
    this.#sound = sound
    const now = this.#context.currentTime
    // A short ramp: no change of level clicks.
    if (atOnce) {
      this.#gain.gain.value = sound.gain
      this.#pan.pan.value = sound.pan
    } else {
      this.#gain.gain.setTargetAtTime(sound.gain, now, 0.008)
      this.#pan.pan.setTargetAtTime(sound.pan, now, 0.008)
      for (const { track, channel, left, right } of sound.channels ?? []) {
        const sides = this.#voices.find((v) => v.track === track)?.sides.get(channel)
        sides?.[0].gain.setTargetAtTime(left, now, 0.008)
        sides?.[1].gain.setTargetAtTime(right, now, 0.008)
      }
    }
  }

  /** Root mean square of the last 40 ms behind the level, 0..1. */
  get level(): number {
    const last = new Float32Array(this.#meter.fftSize)
    this.#meter.getFloatTimeDomainData(last)
    return Math.sqrt(last.reduce((sum, x) => sum + x * x, 0) / last.length)
  }

  get pan(): number {
    return this.#sound.pan
  }

  get url(): string {
    return this.#sound.url
  }

  placedAs(sound: PlaySound): boolean {
    const [a, b] = [this.#sound.map, sound.map]
    return (
      a.start === b.start &&
      a.rate === b.rate &&
      trackOf(this.#sound.channels) === trackOf(sound.channels) &&
      JSON.stringify(a.jumps) === JSON.stringify(b.jumps) &&
      JSON.stringify(this.#sound.levels) === JSON.stringify(sound.levels)
    )
  }

  /** Plays passages of the master one after the other, the first of them from context second `at` on. */
  async start(passages: readonly Passage[], at: number, speed: number): Promise<void> {
    this.stop()
    const run = this.#run
    const sinks = await this.#sinks
    await Promise.all(sinks.map((sink, i) => sink && this.#startVoice(sink, this.#voices[i].into, passages, at, speed, run)))
  }

  async #startVoice(sink: AudioBufferSink, into: AudioNode, passages: readonly Passage[], at: number, speed: number, run: number): Promise<void> {
    try {
      for (const passage of passages) {
        if (run !== this.#run) return
        const begins = at + passage.after / speed
        // A passage that lies far ahead is not decoded yet.
        while (begins - this.#context.currentTime > AHEAD && run === this.#run) await new Promise((resolve) => setTimeout(resolve, 100))
        await this.#play(sink, into, passage, begins, speed, run)
      }
    } catch {
      // A sound that breaks off is silence from there on.
    }
  }

  /** One passage; its gain falls and rises over the joins with others. */
  async #play(sink: AudioBufferSink, into: AudioNode, { master, length, fadeIn, fadeOut }: Passage, at: number, speed: number, run: number): Promise<void> {
    const { map, levels = [] } = this.#sound
    const shape = this.#context.createGain()
    shape.connect(into)
    const ends = at + length / speed
    const first = at - fadeIn / 2
    shapeGain(shape.gain, this.#context.currentTime, { at, master, ends, fadeIn, fadeOut, levels, speed })
    const from = Math.max(0, masterToClip(secondsToFlicks(master - (speed * fadeIn) / 2), map) / FLICKS_PER_SECOND)
    for await (const { buffer, timestamp } of sink.buffers(from)) {
      if (run !== this.#run) return
      const when = at + (clipToMaster(secondsToFlicks(timestamp), map) / FLICKS_PER_SECOND - master) / speed
      if (when >= ends + fadeOut / 2) return
      this.#put(buffer, when, shape, first, ends + fadeOut / 2, speed)
      while (when - this.#context.currentTime > AHEAD && run === this.#run) await new Promise((resolve) => setTimeout(resolve, 100))
      if (run !== this.#run) return
    }
  }

  /** Puts a piece of sound on the audio clock, as far as it lies between two of its seconds and has not gone by. */
  #put(buffer: AudioBuffer, when: number, into: AudioNode, first: number, end: number, speed: number): void {
    const { rate } = this.#sound.map
    const late = Math.max(this.#context.currentTime, first) - when
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
    const { map, levels = [] } = this.#sound
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
        shapeGain(shape.gain, this.#context.currentTime, { at, master, ends, fadeIn: GRAIN_FADE, fadeOut: GRAIN_FADE, levels, speed: 1 })
        for (const { buffer, timestamp } of list)
          this.#put(
            buffer,
            at + clipToMaster(secondsToFlicks(timestamp), map) / FLICKS_PER_SECOND - master,
            shape,
            at - GRAIN_FADE / 2,
            ends + GRAIN_FADE / 2,
            1,
          )
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
    this.#pan.disconnect()
    this.#input.dispose()
  }
}

/** All sounds that are heard, on one audio clock. */
export class SoundDesk {
  readonly context: AudioContext
  readonly #out: GainNode
  readonly #lanes = new Map<string, SoundLane>()
  readonly clicks: Clicks
  #playing: { passages: readonly Passage[]; at: number; speed: number } | null = null
  #pitch: Promise<PitchKeeper | null> | null = null
  /** What keeps the pitch at the speed that was prepared; null at the speed of the recording. */
  #keeper: PitchKeeper | null = null

  constructor() {
    this.context = new AudioContext({ latencyHint: 'interactive', sampleRate: 48000 })
    this.#out = this.context.createGain()
    this.#out.connect(this.context.destination)
    this.clicks = new Clicks(this.context, this.#out)
  }

  /** Which sounds there are; those with gain 0 are not even decoded. */
  set(sounds: readonly PlaySound[]): void {
    const heard = new Map(sounds.filter((s) => s.gain > 0).map((s) => [s.clipId, s]))
    for (const [id, lane] of this.#lanes) {
      const sound = heard.get(id)
      if (sound && sound.url === lane.url && lane.placedAs(sound)) lane.set(sound)
      else {
        lane.close()
        this.#lanes.delete(id)
      }
    }
    for (const [id, sound] of heard) {
      if (this.#lanes.has(id)) continue
      const lane = new SoundLane(this.context, this.#out, sound)
      this.#lanes.set(id, lane)
      if (this.#playing) void lane.start(this.#playing.passages, this.#playing.at, this.#playing.speed)
    }
  }

  /** What sounds now, by clip: level as root mean square, 0..1, and place from −1 left to 1 right. */
  levels(): Record<string, { level: number; pan: number }> {
    return Object.fromEntries([...this.#lanes].map(([id, lane]) => [id, { level: lane.level, pan: lane.pan }]))
  }

  /** Makes ready for a speed; other than 1, sound goes through what keeps its pitch. */
  async prepare(speed: number): Promise<void> {
    // Only who plays at another speed loads it.
    if (speed !== 1) this.#pitch ??= import('./stretch.ts').then(({ makePitchKeeper }) => makePitchKeeper(this.context)).catch(() => null)
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

  /** Starts all sounds at the speed that was prepared; @returns the context second at which the first passage is heard */
  start(passages: readonly Passage[], speed = 1): number {
    const at = this.context.currentTime + 0.08
    this.#playing = { passages, at, speed }
    for (const lane of this.#lanes.values()) void lane.start(passages, at, speed)
    if (speed === 1) this.clicks.start(passages, at)
    return at + (this.#keeper?.latency ?? 0)
  }

  /** Lets a moment of the master be heard, s, while nothing plays; @returns when all of it has been given to the clock */
  async grain(master: number, length: number): Promise<void> {
    await this.prepare(1)
    await Promise.all([...this.#lanes.values()].map((lane) => lane.grain(master, length)))
  }

  stop(): void {
    this.#playing = null
    for (const lane of this.#lanes.values()) lane.stop()
    this.clicks.stop()
  }
}
