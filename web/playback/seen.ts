import { FilmResolver, Sights } from '@pendolo/core/film'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameAt, frameStart, masterToProgramme, runAt, ZERO } from '@pendolo/core/time'
import type { ClockMap, Held, PictureModel, PlayClip, TileSource } from './types.ts'

/** An instant to be drawn: on the master's time, and in the film where that is played. */
export interface Instant {
  /** null on a card of the film. */
  readonly master: Flicks | null
  readonly film: Flicks | null
}

/** Pictures that are ahead of their clock by no more than this wait for it, s. */
const WAITS = 0.5

const NOTHING: PictureModel = {
  angles: [],
  exceptions: {},
  fades: { in: ZERO, out: ZERO },
  layers: {},
  stills: {},
  clips: [],
  points: {},
  cutId: '',
  runs: [],
  rate: { num: 25, den: 1 },
  standIn: 'next',
}

function resolverOf({ angles, clips, points, runs, standIn, fades, layers }: PictureModel): FilmResolver {
  const material = { spans: clips.filter((c) => c.angleId !== ''), order: angles.map((a) => a.id), standIn }
  return new FilmResolver(runs, material, { points: (id) => points[id] ?? [], layers: (id) => layers[id] ?? [], fades })
}

/** Clips by their ids; one that lost time has several parts. */
function partsOf(clips: readonly PlayClip[]): Map<string, PlayClip[]> {
  const out = new Map<string, PlayClip[]>()
  for (const clip of clips) {
    const parts = out.get(clip.clipId)
    if (parts) parts.push(clip)
    else out.set(clip.clipId, [clip])
  }
  return out
}

/** Which picture of which clip is seen at an instant: on tiles, and in the programme. */
export class Seen {
  #model = NOTHING
  #byId: ReadonlyMap<string, readonly PlayClip[]> = new Map()
  #held: Held | null = null
  /** How far playing has gone, in flicks. */
  #gone = 0
  resolver = resolverOf(NOTHING)
  sights = new Sights([], {})
  clock: ClockMap = { playing: false, along: 'master', time: 0, wall: 0, speed: 1 }

  /** What was pressed while it stands is in the cut by now. */
  show(model: PictureModel): void {
    this.#model = model
    this.sights = new Sights(model.angles, model.exceptions)
    this.resolver = resolverOf(model)
    this.#byId = partsOf(model.clips)
    this.forgetHeld()
  }

  run(clock: ClockMap): void {
    if (clock.began?.wall !== this.clock.began?.wall || clock.speed !== this.clock.speed) this.#gone = 0
    this.clock = clock
    this.forgetHeld()
  }

  /** A choice that was pressed and whose cut lies a little ahead. */
  get held(): Held | null {
    return this.#held
  }

  /** @returns whether it is another one than before: it is told again and again while it lasts */
  hold(held: Held | null): boolean {
    const before = this.#held
    this.#held = held
    return before?.angleId !== held?.angleId || before?.clipId !== held?.clipId || before?.until !== held?.until
  }

  /** What is held until its cut has come, while it stands, is let go. */
  forgetHeld(): void {
    if (this.#held?.until === null) this.#held = null
  }

  /** @param wall absolute time at which it is seen, ms */
  instant(wall: number): Instant {
    const time = this.#timeAt(wall)
    return this.clock.along === 'master' ? { master: time, film: null } : { master: this.resolver.masterAt(time), film: time }
  }

  /** Until the first sound leaves, pictures stand where playing began; where the sound falters they wait for it and do not go back. */
  #timeAt(wall: number): Flicks {
    const { playing, time, speed, began, wall: told } = this.clock
    const reached = time + (playing ? ((wall - told) / 1000) * speed * FLICKS_PER_SECOND : 0)
    if (!playing || !began) return flicks(Math.round(reached))
    const gone = Math.max(0, Math.sign(speed) * (reached - began.time))
    if (gone > this.#gone || this.#gone - gone > WAITS * FLICKS_PER_SECOND) this.#gone = gone
    return flicks(Math.round(began.time + Math.sign(speed) * this.#gone))
  }

  /** When the film's picture begins that is seen at an instant: what fades or moves in it does so from one of its pictures to the next. */
  ofFilm(now: Instant): Instant {
    const { runs } = this.resolver
    const film = now.film ?? (now.master === null ? null : masterToProgramme(runs, now.master))
    const run = film === null ? undefined : runAt(runs, film)
    if (film === null || !run) return now
    const { rate } = this.#model
    // A run that begins between two pictures begins with a part of one.
    const back = film - Math.max(run.at, frameStart(frameAt(film, rate), rate))
    return { master: now.master === null ? null : flicks(now.master - back), film: now.film === null ? null : flicks(film - back) }
  }

  /** The version that rules at an instant. */
  ruling({ film }: Instant): string {
    return (film === null ? null : runAt(this.resolver.runs, film)?.cutId) ?? this.#model.cutId
  }

  /** Share of black over the programme. */
  dark({ master, film }: Instant): number {
    const along = film ?? (master === null ? null : masterToProgramme(this.resolver.runs, master))
    return along === null ? 0 : this.resolver.darkAt(along)
  }

  /** A clip as an angle shows it; each angle that does so sees it in its own way. */
  clip(id: string | null, time: Flicks, angleId: string | null): PlayClip | null {
    const all = id === null ? undefined : this.#byId.get(id)
    const own = all?.filter((c) => c.angleId === angleId)
    const parts = own?.length ? own : all
    return parts?.find((c) => time >= c.start && time < c.end) ?? parts?.[0] ?? null
  }

  /** The clip of an angle. @param cutId the version whose chosen take is meant; null for the newest */
  ofAngle(angleId: string, master: Flicks, cutId: string | null = null): PlayClip | null {
    const span = cutId === null ? this.resolver.clipAt(angleId, master) : this.resolver.takeIn(cutId, angleId, master)
    return span && this.clip(span.clipId, master, span.angleId)
  }

  /** The instant whose picture of a clip is seen at an instant; one that runs at its own speed stops where there are no more. */
  pictured({ angleId, clipId, start, end, grid }: PlayClip, at: Flicks): Flicks {
    const pictured = this.sights.pictured(angleId, at, clipId)
    return pictured === at ? at : flicks(Math.max(start, Math.min(end - frameStart(1, grid.rate), pictured)))
  }

  /** What the programme shows, and of which instant of the master. */
  programme({ master, film }: Instant): { clip: PlayClip | null; at: Flicks; standIn: boolean } {
    const held = this.#heldAt(master)
    if (master === null) return { clip: null, at: ZERO, standIn: false }
    if (held) {
      const own = this.resolver.clipAt(held.angleId, master, held.clipId)
      if (own) return { clip: this.clip(own.clipId, master, own.angleId), at: master, standIn: false }
    }
    const shown = (film === null ? null : this.resolver.seenAt(film)) ?? this.resolver.shownAt(this.#model.cutId, master)
    const at = shown.stillAt ?? master
    return { clip: this.clip(shown.clipId, at, shown.angleId), at, standIn: shown.standIn }
  }

  /** What is held ends with its time, or with the clock. */
  #heldAt(master: Flicks | null): Held | null {
    const until = this.#held?.until ?? null
    if (until !== null && (!this.clock.playing || (master !== null && master >= until))) this.#held = null
    return this.#held
  }

  /** What a tile shows, and of which instant. */
  ofTile(source: TileSource, now: Instant): { clip: PlayClip | null; at: Flicks } {
    const time = now.master ?? ZERO
    if (source.kind === 'clip') {
      const at = flicks(time + source.offset)
      return { clip: this.clip(source.clipId, at, null), at }
    }
    if (source.kind === 'programme') return this.programme(now)
    return { clip: now.master === null ? null : this.ofAngle(source.angleId, time, source.asCut ? this.ruling(now) : null), at: time }
  }
}
