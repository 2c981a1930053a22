import { type DeskPassage, deskLatency } from '@pendolo/core/mix'
import type { Rect } from '@pendolo/core/picture'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameAt, frameStart, programmeLength, programmeTimesOf, type Rate, runAt, ZERO } from '@pendolo/core/time'
import type { Click } from './clicks.ts'
import { heardAt } from './heard.ts'
import { SOUND_RATE, SoundDesk } from './sound.ts'
import type { Along, ClockMap, FromWorker, HeavyRange, Held, Meter, PictureHealth, PlayModel, ReadyRange, TileSource, ToWorker } from './types.ts'

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
  /** Master time; in a card of the film that of the next picture. */
  readonly time: Flicks
  readonly along: Along
  readonly playing: boolean
  readonly speed: number
  readonly health: PictureHealth
}

const NO_HEALTH: PictureHealth = { due: 0, late: 0, shown: {}, programme: { angleId: null, since: 0, standIn: false, sharp: false } }
/** The map from wall time to master time is told to the pictures this often, ms, so that two clocks cannot drift apart. */
const CLOCK_EVERY = 100
/** The end of a stretch that is played by itself is looked for this often, ms. */
const SECTION_EVERY = 15
/** Less than this before the end, s, playing begins anew. */
const LEAST = 0.2
/** React hears of the running time this often, ms; the playhead is moved by its own frames. */
const STATE_EVERY = 100

/** Length of the moments that are heard while the playhead is dragged, s, and how often they come, ms. */
const GRAIN = 0.09
const GRAIN_EVERY = 60

/** Speeds of playing. */
const SLOWEST = 0.25
const QUICKEST = 8
/** Whether sound is heard at a speed. */
const isHeard = (speed: number): boolean => speed >= 0.5 && speed <= 2

interface Section {
  readonly from: Flicks
  readonly to: Flicks
  /** Where it stands afterwards; null to play it again. */
  readonly back: Flicks | null
}

const NO_METERS: ReadonlyMap<string, Meter> = new Map()
const SILENCE: PlayModel['sounds'] = { inputs: [], nodes: [] }

const wall = () => performance.timeOrigin + performance.now()

/**
 * Plays the project. The audio clock is the only clock: pictures follow it in a worker, late ones are dropped and
 * counted. No React in here; views subscribe to a small store.
 */
export class Engine {
  readonly #worker: Worker
  #desk: SoundDesk | null = null
  #model: PlayModel | null = null
  /** Where it stands, on the time that it plays along. */
  #time: Flicks = ZERO
  #along: Along = 'master'
  #playing = false
  #speed = 1
  /** Context second (or wall ms when silent) and time of the last start. */
  #anchor = { context: 0, wall: 0, time: 0 }
  #health: PictureHealth = NO_HEALTH
  #state: EngineState
  #timer: ReturnType<typeof setInterval> | null = null
  readonly #listeners = new Set<() => void>()
  readonly #heavy = new Set<(range: HeavyRange) => void>()
  #audible: PlayModel['sounds'] | null = null
  #clicks: readonly Click[] = []
  #bypassed: ReadonlySet<string> = new Set()
  /** A stretch that is played by itself, on what it plays along: again and again, or once, and then back. */
  #section: Section | null = null
  #hearing = false

  constructor() {
    this.#worker = new Worker(new URL('./pictures.worker.ts', import.meta.url), { type: 'module' })
    this.#worker.onmessage = (event: MessageEvent<FromWorker>) => {
      if (event.data.type === 'heavy') {
        for (const hear of this.#heavy) hear(event.data.range)
        return
      }
      this.#health = event.data.health
      if (!this.#playing) this.#publish()
    }
    this.#state = { time: ZERO, along: 'master', playing: false, speed: 1, health: NO_HEALTH }
  }

  /** Lets the graphics card or the processor draw, whatever is there; before anything is drawn. */
  drawBy(by: 'card' | 'processor'): void {
    this.#send({ type: 'drawing', by })
  }

  #send(message: ToWorker, transfer: Transferable[] = []): void {
    this.#worker.postMessage(message, transfer)
  }

  /** What is to be played; may change while playing. */
  load(model: PlayModel): void {
    if (model === this.#model) return
    const { playing } = this.#state
    // In a film that has become another one, the same picture is gone on with.
    const master = this.#along === 'film' && this.#model && !sameRuns(this.#model.runs, model.runs) ? this.now() : null
    this.#model = model
    const { sounds, ...pictures } = model
    this.#send({ type: 'model', model: pictures })
    this.#desk?.set(this.#audible ?? sounds)
    if (master === null) return
    this.#halt()
    this.#time = this.#inside(this.#fromMaster(master))
    if (playing) void this.play(this.#speed)
    else this.#tellClock()
  }

  /** Hears only these instead of the project's own mix (the flam check); null goes back. */
  listenTo(sounds: PlayModel['sounds'] | null): void {
    if (sounds === this.#audible) return
    this.#audible = sounds
    this.#desk?.set(sounds ?? this.#model?.sounds ?? SILENCE)
  }

  /** Told what was played and took longer to draw than there is time. @returns ends it */
  onHeavy(hear: (range: HeavyRange) => void): () => void {
    this.#heavy.add(hear)
    return () => this.#heavy.delete(hear)
  }

  /** Ranges of the programme whose pictures were made for playing; none but these are seen that way. */
  showReady(ranges: readonly ReadyRange[]): void {
    this.#send({ type: 'ready', ranges })
  }

  /** Shows all pictures as they are corrected, or as they were, for comparing. */
  showLooks(on: boolean): void {
    this.#send({ type: 'looks', on })
  }

  /** Hears strips without their processing, as loud as with it; an empty set is as it will be. */
  bypass(keys: ReadonlySet<string>): void {
    this.#bypassed = keys
    this.#desk?.bypass(keys)
  }

  /** Clicks that sound along while playing at normal speed; an empty list is silence. */
  clickAlong(clicks: readonly Click[]): void {
    this.#clicks = clicks
    this.#desk?.clicks.set(clicks)
  }

  /** How loud each strip is now, by its key; '' is the programme. */
  meters(): ReadonlyMap<string, Meter> {
    return this.#desk?.meters() ?? NO_METERS
  }

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  getState = (): EngineState => this.#state

  #publish(): void {
    this.#state = { time: this.now(), along: this.#along, playing: this.#playing, speed: this.#speed, health: this.#health }
    for (const listener of this.#listeners) listener()
  }

  /** Master time now: what is heard at this moment, output delay taken off. */
  now(): Flicks {
    return this.#toMaster(this.#here())
  }

  /** Time now on what it plays along. */
  #here(): Flicks {
    if (!this.#playing) return this.#time
    const { time } = this.#clock()
    // Before the first sound leaves it is where it began.
    return this.#inside(this.#speed > 0 ? Math.max(time, this.#anchor.time) : Math.min(time, this.#anchor.time))
  }

  /** Ends of what it plays along. */
  get #ends(): { start: Flicks; end: Flicks } {
    return this.#along === 'master' ? this.event : { start: ZERO, end: programmeLength(this.#runs) }
  }

  get #runs(): PlayModel['runs'] {
    return this.#model?.runs ?? []
  }

  #inside(time: number): Flicks {
    const { start, end } = this.#ends
    return flicks(Math.max(start, Math.min(end, Math.round(time))))
  }

  /** Master time of a place on what it plays along: in a card that of the next picture, at the end that of the last one. */
  #toMaster(time: Flicks): Flicks {
    if (this.#along === 'master') return time
    const run = runAt(this.#runs, time)
    if (run && run.from !== null) return flicks(run.from + (time - run.at))
    const next = this.#runs.find((r) => r.from !== null && r.at >= time)
    if (next) return next.from as Flicks
    const last = this.#runs.findLast((r) => r.from !== null)
    return last ? flicks((last.from as Flicks) + last.length) : ZERO
  }

  /** Place of an instant of the master on what it plays along: in the film the nearest that shows it, else where the film goes on behind it. */
  #fromMaster(master: Flicks): Flicks {
    if (this.#along === 'master') return master
    const here = this.#here()
    const times = programmeTimesOf(this.#runs, master)
    if (times.length > 0) return times.reduce((best, t) => (Math.abs(t - here) < Math.abs(best - here) ? t : best))
    const next = this.#runs.find((r) => r.from !== null && r.from >= master)
    return next ? next.at : this.#ends.end
  }

  /** Plays along the master as it was recorded, or along the film. */
  follow(along: Along): void {
    if (along === this.#along) return
    const { playing } = this.#state
    const master = this.now()
    this.#halt()
    this.#along = along
    // From far away in the film no place is nearer than another: the first one is meant.
    this.#time = ZERO
    this.#time = this.#inside(this.#fromMaster(master))
    if (playing) void this.play()
    else {
      this.#tellClock()
      this.#publish()
    }
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
    if (!this.#playing) return { playing: false, along: this.#along, time: this.#time, wall: now, speed: 0 }
    const run = { playing: true, along: this.#along, wall: now, speed: this.#speed, began: { time: this.#anchor.time, wall: this.#anchor.wall } }
    const passed =
      isHeard(this.#speed) && this.#desk ? heardAt(this.#desk.context) - this.#desk.latency - this.#anchor.context : (now - this.#anchor.wall) / 1000
    return { ...run, time: this.#anchor.time + passed * this.#speed * FLICKS_PER_SECOND }
  }

  #tellClock(): void {
    this.#send({ type: 'clock', clock: this.#clock() })
  }

  /** Plays from where it stands; with sound from half to double speed, its pitch kept. */
  async play(speed = 1): Promise<void> {
    if (!this.#model) return
    const { start, end } = this.#ends
    const film = this.#along === 'master' ? this.film : { start, end }
    const atEnd = speed > 0 && end - this.#here() < LEAST * FLICKS_PER_SECOND
    const from = atEnd ? film.start : this.#here()
    // It stops where the film ends; from there on it plays what else there is.
    const until = speed > 0 && from < film.end ? Math.min(film.end, end) : end
    this.#halt()
    this.#desk ??= new SoundDesk()
    this.#desk.set(this.#audible ?? this.#model.sounds)
    this.#desk.clicks.set(this.#clicks)
    this.#desk.bypass(this.#bypassed)
    await this.#desk.context.resume()
    if (isHeard(speed)) await this.#desk.prepare(speed)
    this.#speed = speed
    this.#time = from
    const context = isHeard(speed) ? this.#desk.start(this.#passages(from), speed) : 0
    this.#anchor = { context, wall: wall(), time: from }
    this.#playing = true
    this.#tellClock()
    let published = 0
    this.#timer = setInterval(
      () => {
        const at = this.#here()
        if (this.#section && this.#speed > 0 && at >= this.#section.to) return this.#sectionEnds(this.#section)
        if ((this.#speed > 0 && at >= until) || (this.#speed < 0 && at <= start)) {
          this.stop()
          // Not where the last look at the clock happened to find it.
          this.#stand(flicks(Math.min(at, until)))
          return
        }
        this.#tellClock()
        if (performance.now() - published >= STATE_EVERY) {
          published = performance.now()
          this.#publish()
        }
      },
      this.#section ? SECTION_EVERY : CLOCK_EVERY,
    )
    this.#publish()
  }

  /**
   * Plays a stretch of the master by itself.
   * @param back where it stands afterwards; null to play it again and again until it is stopped
   */
  playSection(from: Flicks, to: Flicks, back: Flicks | null): void {
    const [a, b] = [this.#inside(this.#fromMaster(from)), this.#inside(this.#fromMaster(to))]
    if (b <= a) return
    this.#halt()
    this.#time = a
    this.#section = { from: a, to: b, back: back === null ? null : this.#inside(this.#fromMaster(back)) }
    void this.play()
  }

  /** Whether a stretch is being played again and again. */
  get loops(): boolean {
    return this.#section !== null && this.#section.back === null
  }

  #sectionEnds({ from, back }: Section): void {
    if (back !== null) this.stop()
    this.#stand(back ?? from)
  }

  /** What would be heard from where it stands, left and right, computed as quickly as the machine can. */
  async rendered(seconds: number): Promise<Float32Array[]> {
    const sounds = this.#model?.sounds ?? SILENCE
    const latency = deskLatency(sounds.nodes)
    const desk = new SoundDesk(new OfflineAudioContext(2, Math.round(seconds * SOUND_RATE) + latency, SOUND_RATE), Number.POSITIVE_INFINITY)
    desk.set(sounds)
    await desk.prepare(1)
    desk.start(this.#passages(this.#here()), 1, 0)
    await desk.given()
    const { context } = desk
    const sound = await context.startRendering()
    return [0, 1].map((c) => sound.getChannelData(c).subarray(latency))
  }

  /** What of the master is to be heard, from a place on. */
  #passages(from: Flicks): DeskPassage[] {
    // On whole frames of sound, as in films.
    const seconds = (time: number) => Math.round((time / FLICKS_PER_SECOND) * SOUND_RATE) / SOUND_RATE
    if (this.#along === 'master') return [{ master: seconds(from), after: 0, length: Number.POSITIVE_INFINITY, fadeIn: 0, fadeOut: 0 }]
    const runs = this.#runs
    return runs.flatMap((run, i): DeskPassage[] => {
      const begin = Math.max(run.at, from)
      const length = run.at + run.length - begin
      if (run.from === null || length <= 0) return []
      const next = runs[i + 1]
      const fade = (a: number, b: number, c: number) => seconds(Math.min(a, b, c))
      return [
        {
          master: seconds(run.from + (begin - run.at)),
          after: seconds(begin - from),
          length: seconds(length),
          fadeIn: i > 0 && begin === run.at && begin > from ? fade(run.fade, runs[i - 1].length, run.length) : 0,
          fadeOut: next ? fade(next.fade, next.length, run.length) : 0,
        },
      ]
    })
  }

  #halt(): void {
    if (this.#timer !== null) clearInterval(this.#timer)
    this.#timer = null
    this.#desk?.stop()
    this.#playing = false
  }

  stop(): void {
    if (!this.#playing) return
    this.#section = null
    this.#time = this.#here()
    this.#halt()
    this.#speed = 1
    this.#tellClock()
    this.#publish()
  }

  toggle(): void {
    if (this.#playing) this.stop()
    else void this.play()
  }

  /** Goes to an instant of the master; playing goes on from there. */
  seek(time: Flicks): void {
    this.#section = null
    this.#stand(this.#fromMaster(time))
  }

  /** Goes to an instant and lets its sound be heard: for a playhead that is dragged. */
  scrub(time: Flicks): void {
    const standing = !this.#playing
    this.seek(time)
    if (standing) void this.#hear()
  }

  /** A moment of what is heard where it stands; the next one when this has been given out, if it has moved by then. */
  async #hear(): Promise<void> {
    if (!this.#model || this.#hearing) return
    this.#hearing = true
    try {
      this.#desk ??= new SoundDesk()
      this.#desk.set(this.#audible ?? this.#model.sounds)
      await this.#desk.context.resume()
      for (let heard: Flicks | null = null; !this.#playing && heard !== this.#time; ) {
        heard = this.#time
        const master = this.#along === 'master' ? heard : (runAt(this.#runs, heard)?.from ?? null) === null ? null : this.#toMaster(heard)
        if (master !== null) await this.#desk.grain(master / FLICKS_PER_SECOND, GRAIN)
        await new Promise((resolve) => setTimeout(resolve, GRAIN_EVERY))
      }
    } finally {
      this.#hearing = false
    }
  }

  /** Goes so many frames on, or back, on what it plays along: in the film over its joins. */
  stepFrames(by: number, rate: Rate): void {
    const standing = !this.#playing
    this.#stand(frameStart(frameAt(this.#here(), rate) + by, rate))
    if (standing) void this.#hear()
  }

  /** Goes on, or back, by a time on what it plays along. */
  shift(by: Flicks): void {
    this.#stand(flicks(this.#here() + by))
  }

  /** Place in the film, where it plays along the film; else null. */
  get filmTime(): Flicks | null {
    return this.#along === 'film' ? this.#here() : null
  }

  #stand(time: Flicks): void {
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

  /**
   * L and J: in that direction, each time faster; K stops. Slowly, each time slower.
   * @param slow from half speed down to a quarter instead
   */
  shuttle(direction: 1 | -1, slow = false): void {
    const now = this.#playing ? this.#speed : 0
    const goesOn = Math.sign(now) === direction
    const next = slow ? Math.max(SLOWEST, goesOn ? Math.min(1, Math.abs(now)) / 2 : 0.5) : goesOn ? Math.min(QUICKEST, Math.abs(now) * 2) : 1
    void this.play(next * direction)
  }

  /** Gives a canvas to draw tiles on, until `detach`. Tiles may name it before. */
  surface(key: string, canvas: HTMLCanvasElement): { resize: (width: number, height: number) => void; detach: () => void } {
    const offscreen = canvas.transferControlToOffscreen()
    this.#send({ type: 'surface', key, canvas: offscreen }, [offscreen])
    return {
      resize: (width, height) => this.#send({ type: 'size', key, width: Math.max(2, Math.round(width)), height: Math.max(2, Math.round(height)) }),
      detach: () => this.#send({ type: 'dropSurface', key }),
    }
  }

  /**
   * Shows a source on a place of a surface until `detach`.
   * @param place whole pixels of the surface; null is all of it
   */
  attach(
    key: string,
    surface: string,
    source: TileSource,
    place: Rect | null,
  ): { place: (place: Rect | null) => void; show: (source: TileSource) => void; detach: () => void } {
    this.#send({ type: 'tile', key, surface, source, place })
    return {
      place: (next) => this.#send({ type: 'place', key, place: next }),
      show: (next) => this.#send({ type: 'source', key, source: next }),
      detach: () => this.#send({ type: 'drop', key }),
    }
  }

  /** Shows a choice in the programme from now on while it plays, until the time at which its cut takes over; null shows the cut again. */
  hold(held: Held | null): void {
    this.#send({ type: 'hold', held })
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

function sameRuns(a: PlayModel['runs'], b: PlayModel['runs']): boolean {
  return a.length === b.length && a.every((run, i) => run.from === b[i].from && run.length === b[i].length && run.cutId === b[i].cutId)
}
