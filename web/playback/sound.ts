import { clipToMaster, FLICKS_PER_SECOND, masterToClip, secondsToFlicks } from '@pendolo/core/time'
import { ALL_FORMATS, AudioBufferSink, Input, UrlSource } from 'mediabunny'
import { Clicks } from './clicks.ts'
import type { PlaySound } from './types.ts'

/** Sound scheduled ahead of the clock, s. */
const AHEAD = 0.9

/** One sound, streamed and scheduled on the audio clock while playing. */
class SoundLane {
  readonly #context: AudioContext
  readonly #gain: GainNode
  readonly #pan: StereoPannerNode
  readonly #meter: AnalyserNode
  readonly #input: Input
  readonly #sink: Promise<AudioBufferSink | null>
  readonly #nodes = new Set<AudioBufferSourceNode>()
  #sound: PlaySound
  #run = 0

  constructor(context: AudioContext, out: AudioNode, sound: PlaySound) {
    this.#context = context
    this.#sound = sound
    this.#gain = context.createGain()
    this.#pan = context.createStereoPanner()
    this.#meter = context.createAnalyser()
    this.#gain.connect(this.#meter)
    this.#gain.connect(this.#pan).connect(out)
    this.#input = new Input({ formats: ALL_FORMATS, source: new UrlSource(sound.url) })
    this.#sink = this.#input
      .getPrimaryAudioTrack()
      .then((track) => (track ? new AudioBufferSink(track) : null))
      .catch(() => null)
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
    return a.start === b.start && a.rate === b.rate && JSON.stringify(a.jumps) === JSON.stringify(b.jumps)
  }

  /** Plays so that master second `master` sounds at context second `at`. */
  async start(master: number, at: number): Promise<void> {
    this.stop()
    const run = this.#run
    const sink = await this.#sink
    if (!sink || run !== this.#run) return
    const { map } = this.#sound
    const clip = Math.max(0, masterToClip(secondsToFlicks(master), map) / FLICKS_PER_SECOND)
    try {
      for await (const { buffer, timestamp } of sink.buffers(clip)) {
        if (run !== this.#run) return
        const when = at + (clipToMaster(secondsToFlicks(timestamp), map) / FLICKS_PER_SECOND - master)
        const late = this.#context.currentTime - when
        const length = buffer.duration * map.rate
        if (late < length) {
          const node = this.#context.createBufferSource()
          node.buffer = buffer
          node.playbackRate.value = 1 / map.rate
          node.connect(this.#gain)
          node.onended = () => this.#nodes.delete(node)
          this.#nodes.add(node)
          if (late > 0) node.start(0, late / map.rate)
          else node.start(when)
        }
        while (when - this.#context.currentTime > AHEAD && run === this.#run) await new Promise((resolve) => setTimeout(resolve, 100))
        if (run !== this.#run) return
      }
    } catch {
      // A sound that breaks off is silence from there on.
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
  #playing: { master: number; at: number } | null = null

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
      if (this.#playing) void lane.start(this.#playing.master, this.#playing.at)
    }
  }

  /** What sounds now, by clip: level as root mean square, 0..1, and place from −1 left to 1 right. */
  levels(): Record<string, { level: number; pan: number }> {
    return Object.fromEntries([...this.#lanes].map(([id, lane]) => [id, { level: lane.level, pan: lane.pan }]))
  }

  /** Starts all sounds; @returns the context second at which master second `master` sounds */
  start(master: number): number {
    const at = this.context.currentTime + 0.08
    this.#playing = { master, at }
    for (const lane of this.#lanes.values()) void lane.start(master, at)
    this.clicks.start(master, at)
    return at
  }

  stop(): void {
    this.#playing = null
    for (const lane of this.#lanes.values()) lane.stop()
    this.clicks.stop()
  }
}
