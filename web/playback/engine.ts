import { FLICKS_PER_SECOND, type Flicks, flicks, ZERO } from '@pendolo/core/time'
import type { Click } from './clicks.ts'
import { SoundDesk } from './sound.ts'
import type { ClockMap, FromWorker, PictureHealth, PlayModel, TileSource, ToWorker } from './types.ts'

/** What people and tests may read of the engine's state. */
export interface EngineHealth extends PictureHealth {
  readonly playing: boolean
  /** Master time that sounds now, s. */
  readonly soundSeconds: number
  readonly speed: number
  /** Sounds that are heard, by clip: level now as root mean square, 0..1, and place, −1 left to 1 right. */
  readonly sounds: Record<string, { level: number; pan: number }>
  /** Clicks given to the audio clock since playing began. */
  readonly clicks: number
}

export interface EngineState {
  readonly time: Flicks
  readonly playing: boolean
  readonly speed: number
  readonly health: PictureHealth
}

const NO_HEALTH: PictureHealth = { due: 0, late: 0, shown: {}, programme: { angleId: null, since: 0, standIn: false } }
/** The map from wall time to master time is told to the pictures this often, ms, so that two clocks cannot drift apart. */
const CLOCK_EVERY = 100
/** Less than this before the end, s, playing begins anew. */
const LEAST = 0.2
/** React hears of the running time this often, ms; the playhead is moved by its own frames. */
const STATE_EVERY = 100

const wall = () => performance.timeOrigin + performance.now()

/**
 * Plays the project. The audio clock is the only clock: pictures follow it in a worker, late ones are dropped and
 * counted. No React in here; views subscribe to a small store.
 */
export class Engine {
  readonly #worker: Worker
  #desk: SoundDesk | null = null
  #model: PlayModel | null = null
  #time: Flicks = ZERO
  #playing = false
  #speed = 1
  /** Context second (or wall ms when silent) and master flicks of the last start. */
  #anchor = { context: 0, wall: 0, time: 0 }
  #health: PictureHealth = NO_HEALTH
  #state: EngineState
  #timer: ReturnType<typeof setInterval> | null = null
  readonly #listeners = new Set<() => void>()
  #canvases = 0
  #audible: PlayModel['sounds'] | null = null
  #clicks: readonly Click[] = []

  constructor() {
    this.#worker = new Worker(new URL('./pictures.worker.ts', import.meta.url), { type: 'module' })
    this.#worker.onmessage = (event: MessageEvent<FromWorker>) => {
      this.#health = event.data.health
      if (!this.#playing) this.#publish()
    }
    this.#state = { time: ZERO, playing: false, speed: 1, health: NO_HEALTH }
  }

  #send(message: ToWorker, transfer: Transferable[] = []): void {
    this.#worker.postMessage(message, transfer)
  }

  /** What is to be played; may change while playing. */
  load(model: PlayModel): void {
    this.#model = model
    const { sounds, ...pictures } = model
    this.#send({ type: 'model', model: pictures })
    this.#desk?.set(this.#audible ?? sounds)
  }

  /** Hears only these instead of the project's own mix (the flam check); null goes back. */
  listenTo(sounds: PlayModel['sounds'] | null): void {
    this.#audible = sounds
    this.#desk?.set(sounds ?? this.#model?.sounds ?? [])
  }

  /** Clicks that sound along while playing at normal speed; an empty list is silence. */
  clickAlong(clicks: readonly Click[]): void {
    this.#clicks = clicks
    this.#desk?.clicks.set(clicks)
  }

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  getState = (): EngineState => this.#state

  #publish(): void {
    this.#state = { time: this.now(), playing: this.#playing, speed: this.#speed, health: this.#health }
    for (const listener of this.#listeners) listener()
  }

  /** Master time now: what is heard at this moment, output delay taken off. */
  now(): Flicks {
    if (!this.#playing) return this.#time
    const { time } = this.#clock()
    return this.#inside(time)
  }

  #inside(time: number): Flicks {
    const { start, end } = this.event
    return flicks(Math.max(start, Math.min(end, Math.round(time))))
  }

  /** Where one may go. */
  get event(): PlayModel['event'] {
    return this.#model?.event ?? { start: ZERO, end: ZERO }
  }

  /** What the film covers. */
  get film(): PlayModel['film'] {
    return this.#model?.film ?? { start: ZERO, end: ZERO }
  }

  #clock(): ClockMap {
    const now = wall()
    if (!this.#playing) return { playing: false, time: this.#time, wall: now, speed: 0 }
    if (this.#speed === 1 && this.#desk) {
      const { context } = this.#desk
      const stamp = context.getOutputTimestamp()
      // What leaves the loudspeaker now, where the browser tells it; else the clock less its stated delay.
      const usable = stamp.contextTime !== undefined && stamp.performanceTime !== undefined && stamp.contextTime > 0
      const heard = usable
        ? (stamp.contextTime as number) + (performance.now() - (stamp.performanceTime as number)) / 1000
        : context.currentTime - (context.baseLatency || 0)
      return { playing: true, time: this.#anchor.time + (heard - this.#anchor.context) * FLICKS_PER_SECOND, wall: now, speed: 1 }
    }
    return { playing: true, time: this.#anchor.time + ((now - this.#anchor.wall) / 1000) * this.#speed * FLICKS_PER_SECOND, wall: now, speed: this.#speed }
  }

  #tellClock(): void {
    const clock = this.#clock()
    // Before the first sound leaves, the picture waits at the start instead of running ahead of it.
    this.#send({
      type: 'clock',
      clock:
        clock.playing && this.#speed > 0 && clock.time < this.#anchor.time
          ? { ...clock, time: Math.max(clock.time, this.#anchor.time - 0.2 * FLICKS_PER_SECOND) }
          : clock,
    })
  }

  /** Plays from where it stands; speeds other than 1 are silent. */
  async play(speed = 1): Promise<void> {
    if (!this.#model) return
    const atEnd = speed > 0 && this.event.end - this.now() < LEAST * FLICKS_PER_SECOND
    const from = atEnd ? this.film.start : this.now()
    // It stops where the film ends; from there on it plays what else there is.
    const until = speed > 0 && from < this.film.end ? Math.min(this.film.end, this.event.end) : this.event.end
    this.#halt()
    this.#desk ??= new SoundDesk()
    this.#desk.set(this.#audible ?? this.#model.sounds)
    this.#desk.clicks.set(this.#clicks)
    await this.#desk.context.resume()
    this.#speed = speed
    this.#time = from
    const context = speed === 1 ? this.#desk.start(from / FLICKS_PER_SECOND) : 0
    this.#anchor = { context, wall: wall(), time: from }
    this.#playing = true
    this.#tellClock()
    let published = 0
    this.#timer = setInterval(() => {
      const at = this.now()
      if ((this.#speed > 0 && at >= until) || (this.#speed < 0 && at <= this.event.start)) {
        this.stop()
        // Not where the last look at the clock happened to find it.
        this.seek(flicks(Math.min(at, until)))
        return
      }
      this.#tellClock()
      if (performance.now() - published >= STATE_EVERY) {
        published = performance.now()
        this.#publish()
      }
    }, CLOCK_EVERY)
    this.#publish()
  }

  #halt(): void {
    if (this.#timer !== null) clearInterval(this.#timer)
    this.#timer = null
    this.#desk?.stop()
    this.#playing = false
  }

  stop(): void {
    if (!this.#playing) return
    this.#time = this.now()
    this.#halt()
    this.#speed = 1
    this.#tellClock()
    this.#publish()
  }

  toggle(): void {
    if (this.#playing) this.stop()
    else void this.play()
  }

  /** Goes to a time; playing goes on from there. */
  seek(time: Flicks): void {
    const at = this.#inside(time)
    const { playing } = this.#state
    const speed = this.#speed
    this.#halt()
    this.#time = at
    if (playing) void this.play(speed)
    else {
      this.#tellClock()
      this.#publish()
    }
  }

  /** L and J: faster in that direction each time, K stops. */
  shuttle(direction: 1 | -1): void {
    const now = this.#playing ? this.#speed : 0
    const next = Math.sign(now) === direction ? Math.min(8, Math.abs(now) * 2) * direction : direction
    void this.play(next)
  }

  /** Shows a source on a canvas until the returned function is called. */
  attach(
    canvas: HTMLCanvasElement,
    source: TileSource,
    name?: string,
  ): { key: string; resize: (width: number, height: number) => void; show: (source: TileSource) => void; detach: () => void } {
    const key = name ?? `canvas-${++this.#canvases}`
    const offscreen = canvas.transferControlToOffscreen()
    this.#send({ type: 'tile', key, source, canvas: offscreen }, [offscreen])
    return {
      key,
      resize: (width, height) => this.#send({ type: 'size', key, width: Math.max(2, Math.round(width)), height: Math.max(2, Math.round(height)) }),
      show: (next) => this.#send({ type: 'source', key, source: next }),
      detach: () => this.#send({ type: 'drop', key }),
    }
  }

  /** Shows an angle in the programme now, until the time at which its cut takes over. */
  preview(angleId: string, until: Flicks): void {
    this.#send({ type: 'preview', angleId, until })
  }

  resetHealth(): void {
    this.#send({ type: 'reset' })
    this.#health = { ...this.#health, due: 0, late: 0 }
  }

  health(): EngineHealth {
    return {
      ...this.#health,
      playing: this.#playing,
      soundSeconds: this.now() / FLICKS_PER_SECOND,
      speed: this.#speed,
      sounds: this.#desk?.levels() ?? {},
      clicks: this.#desk?.clicks.given ?? 0,
    }
  }
}
