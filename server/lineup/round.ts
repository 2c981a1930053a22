import type { Detail } from '@pendolo/api'
import type { Candidate, SoundPlacement, SpeedWish, TimecodeReading, Way, Why } from '@pendolo/core/lineup'
import { laterBy, settleRivals, USUAL_WAYS } from '@pendolo/core/lineup'
import type { Placement } from '@pendolo/core/project'
import type { Analysis } from '../analysis.ts'
import type { SoundFindings } from '../media/findings.ts'
import { MediaError } from '../media/words.ts'
import { type Outcome, placementOf, secondsOf } from './outcome.ts'
import { type Placed, type Recording, readingsOf } from './recordings.ts'

export interface Near {
  readonly startSeconds: number
  readonly tolerance: number
}

/** The sound that is searched on, and where it lies on the master's time. */
export interface MasterSound {
  readonly file: string
  readonly startSeconds: number
  readonly durationSeconds: number
}

export interface LineUpWishes {
  /** Ways to try; the usual ones in their order when not named. */
  readonly ways?: readonly Way[]
  readonly near?: Near
  readonly thorough?: boolean
  readonly speed?: SpeedWish
}

export interface LineUpTools {
  readonly analysis: Analysis
  /** Makes what placing by sound needs. @returns the analysis sound's path and what was heard; null without a sound track */
  readonly sound: (recording: Recording) => Promise<{ file: string; findings: SoundFindings } | null>
  /** What is searched on where several recordings are the master together: their joined sound; null without any. Absent: the first of what lies. */
  readonly joined?: () => Promise<MasterSound | null>
  /** Makes what placing by light needs. @returns null without pictures */
  readonly luma: (recording: Recording) => Promise<string | null>
  readonly signal?: AbortSignal
  /** Told whenever a recording has a new outcome. */
  readonly onOutcome: (recording: Recording, outcome: Outcome) => Promise<void>
  readonly onProgress: (share: number, detail: Detail) => void
}

export interface Trial {
  readonly recording: Recording
  readonly usable: boolean
  readonly sound: SoundPlacement | null
  /** The analysis sound that fits best: of the whole file, or of a channel; empty without sound. */
  readonly file: string
  outcome: Outcome
}

/** One line-up: what lies, what is tried, and what every way needs. Each way has a file of its own. */
export class Round {
  readonly ways: ReadonlySet<Way>
  readonly trials: Trial[] = []
  /** Timecode by recording. */
  readonly readings = new Map<string, readonly TimecodeReading[]>()
  readonly findings = new Map<string, SoundFindings>()
  /** Sound that everything is searched on; null where the master has none. */
  masterSound: MasterSound | null = null

  constructor(
    readonly known: readonly Placed[],
    readonly recordings: readonly Recording[],
    readonly wishes: LineUpWishes,
    readonly tools: LineUpTools,
  ) {
    this.ways = new Set(wishes.ways ?? USUAL_WAYS)
  }

  /** Whether just this way was asked for. */
  only(way: Way): boolean {
    return this.wishes.ways?.length === 1 && this.wishes.ways[0] === way
  }

  async listenTo(recording: Recording): Promise<Awaited<ReturnType<LineUpTools['sound']>>> {
    const heard = await this.tools.sound(recording)
    if (heard) this.findings.set(recording.id, heard.findings)
    this.readings.set(recording.id, readingsOf(recording, heard?.findings.timecode ?? null))
    return heard
  }

  settled(trial: Trial): boolean {
    return trial.outcome.placement?.verdict === 'sure'
  }

  async report(trial: Trial, outcome: Outcome): Promise<void> {
    trial.outcome = outcome
    await this.tools.onOutcome(trial.recording, outcome)
  }

  /** What lies by now: what lay before, and what has been placed for sure. */
  lying(): Placed[] {
    const placed = this.trials.filter((t) => this.settled(t)).map((t) => ({ recording: t.recording, ...secondsOf(t.outcome.placement as Placement) }))
    return [...this.known, ...placed]
  }

  /** Searches the sound close to a place that something else proposes. */
  async hearNear(trial: Trial, near: Near): Promise<SoundPlacement | null> {
    if (!this.ways.has('sound') || !trial.usable || !this.masterSound || !trial.file) return null
    return this.search(trial.file, { near, thorough: true })
  }

  /** Searches a sound on that of the master. @param onShare told how much of it is done, 0..1 */
  async search(
    clipSound: string,
    { near = null, thorough = false, speed = 'auto' }: Omit<LineUpWishes, 'near' | 'ways'> & { near?: Near | null },
    onShare?: (share: number) => void,
  ): Promise<SoundPlacement> {
    const { file, startSeconds } = this.masterSound as MasterSound
    const own = near && { ...near, startSeconds: near.startSeconds - startSeconds }
    const found = await this.tools.analysis.run({ kind: 'place', masterSound: file, clipSound, near: own, thorough, speed }, this.tools.signal, onShare)
    return laterBy(found, startSeconds)
  }
}

/** Where places fit almost equally by sound, an estimate from elsewhere may mean just one of them. */
export function settledBy(trial: Trial, estimate: Near, by: Why): Outcome | null {
  const open = openPlaces(trial)
  const index =
    open.length > 1
      ? settleRivals(
          open.map((c) => c.startSeconds),
          estimate,
        )
      : -1
  return index < 0 ? null : settledAt(trial, open, index, by)
}

/** Places that sound leaves open for a trial, the likeliest first; empty where it leaves none, or only one for sure. */
export function openPlaces({ sound, outcome }: Trial): Candidate[] {
  if (!sound?.proof.chosen || outcome.placement?.verdict !== 'check') return []
  const { chosen, rivals } = sound.proof
  return [chosen, ...rivals.filter((r) => r.support > 0.8 * chosen.support)]
}

/** One of the open places, which something else has chosen; null where too little speaks for it. */
export function settledAt({ sound }: Trial, open: readonly Candidate[], index: number, by: Why): Outcome | null {
  const { startSeconds, rate, agreeing, windows } = open[index]
  if (!sound || agreeing < 0.4 * windows) return null
  const why: Why = [{ code: 'chosen', agreeing, windows, places: open.length }, ...by]
  return {
    placement: placementOf('sound', 'sure', startSeconds, rate, why, 0.85),
    why: [],
    proof: { ...sound.proof, chosen: open[index], rivals: open.filter((_, i) => i !== index) },
  }
}

/** Reads one recording; one that cannot be read never stops the others, and is told of by its name. */
export async function attempt<T>(recording: Recording, read: () => Promise<T>): Promise<{ value: T } | { failed: string }> {
  try {
    return { value: await read() }
  } catch (error) {
    const { code, name } = error as { code?: string; name?: string }
    if (code === 'cancelled' || code === 'disk' || name === 'AbortError') throw error
    return { failed: error instanceof MediaError ? error.message : `${recording.name} could not be compared; it may be damaged. Copy it from the card again` }
  }
}
