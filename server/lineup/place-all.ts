import {
  type LightPlacement,
  type Link,
  type Place,
  placeByClock,
  placeByTimecode,
  type SoundPlacement,
  type SoundProof,
  settleRivals,
  solveLinks,
  type TimecodeReading,
  USUAL_WAYS,
  type Way,
} from '@pendolo/core/lineup'
import { type Placement, SOUND_SPEED } from '@pendolo/core/project'
import { placementFromSeconds, secondsToFlicks } from '@pendolo/core/time'
import type { Analysis } from '../analysis.ts'
import { channelFiles, type SoundFindings } from '../media/sound.ts'
import { MediaError } from '../media/words.ts'
import { clockOf, clockReferences, type Placed, type Recording, readingsOf, soundUsable, timecodeReferences } from './recordings.ts'

export interface Near {
  readonly startSeconds: number
  readonly tolerance: number
}

export interface LineUpWishes {
  /** Ways to try; the usual ones in their order when not named. */
  readonly ways?: readonly Way[]
  readonly near?: Near
  readonly thorough?: boolean
  /** 'auto' tries the speeds of shooting practice; a number is taken as it is. */
  readonly speed?: 'auto' | number
}

/** How a recording came to its place, or why it has none. */
export interface Outcome {
  readonly placement: Placement | null
  readonly why: string
  readonly proof: SoundProof | null
}

export interface LineUpTools {
  readonly analysis: Analysis
  /** Makes what placing by sound needs. @returns the analysis sound's path and what was heard; null without a sound track */
  readonly sound: (recording: Recording) => Promise<{ file: string; findings: SoundFindings } | null>
  /** Makes what placing by light needs. @returns null without pictures */
  readonly luma: (recording: Recording) => Promise<string | null>
  readonly signal?: AbortSignal
  /** Told whenever a recording has a new outcome. */
  readonly onOutcome: (recording: Recording, outcome: Outcome) => Promise<void>
  readonly onProgress: (share: number, detail: string) => void
}

interface Trial {
  readonly recording: Recording
  readonly usable: boolean
  readonly sound: SoundPlacement | null
  /** The analysis sound that fits best: of the whole file, or of a channel; empty without sound. */
  readonly file: string
  outcome: Outcome
}

/** How far from timecode's word the sound is searched, s: file timecode is free-running on most cameras. */
const TIMECODE_TOLERANCE = 2
/** Cameras whose light is compared; more add time and little proof. */
const MOST_LIGHT_REFERENCES = 8
/** Recordings that reach out of the master by this much may carry others, s. */
const REACH_SECONDS = 5
/** A clip that the master covers for this long is found on the master, s. */
const COVERED_SECONDS = 8
/** Pairs tried when recordings are placed through each other. */
const MOST_PAIRS = 400

/**
 * Places recordings on the master by every way that applies, in the order of proof. Recordings that lie already are
 * references and stay where they are.
 * @param known the master first, then what was placed before
 */
export async function placeAll(
  known: readonly Placed[],
  recordings: readonly Recording[],
  wishes: LineUpWishes,
  tools: LineUpTools,
): Promise<Map<string, Outcome>> {
  const ways = new Set(wishes.ways ?? USUAL_WAYS)
  const master = known[0]
  const readings = new Map<string, TimecodeReading[]>()
  const findings = new Map<string, SoundFindings>()
  const listenTo = async (recording: Recording) => {
    const heard = await tools.sound(recording)
    if (heard) findings.set(recording.id, heard.findings)
    readings.set(recording.id, readingsOf(recording, heard?.findings.timecode ?? null))
    return heard
  }
  const masterSound = await listenTo(master.recording)
  for (const { recording } of known.slice(1)) await attempt(recording, () => listenTo(recording))

  const trials: Trial[] = []
  const settled = (trial: Trial) => trial.outcome.placement?.verdict === 'sure'
  const report = async (trial: Trial, outcome: Outcome) => {
    trial.outcome = outcome
    await tools.onOutcome(trial.recording, outcome)
  }
  let done = 0
  const tell = (detail: string) => tools.onProgress(0.8 * (recordings.length > 0 ? done / recordings.length : 1), detail)

  const place = async (recording: Recording) => {
    const heard = await listenTo(recording)
    const usable = soundUsable(recording, heard?.findings ?? null)
    let sound: SoundPlacement | null = null
    let file = heard?.file ?? ''
    if (ways.has('sound') && masterSound && heard && usable) {
      const task = { kind: 'place', masterSound: masterSound.file, thorough: wishes.thorough ?? false, near: wishes.near ?? null } as const
      sound = await tools.analysis.run({ ...task, clipSound: file, speed: wishes.speed ?? 'auto' }, tools.signal)
      // Where the channels hold different things, one of them may fit where their mix does not.
      for (const channel of heard.findings.others ?? []) {
        if (sound.verdict === 'sure') break
        const own = channelFiles(heard.file, channel).analysis
        const found = await tools.analysis.run({ ...task, clipSound: own, speed: wishes.speed ?? 'auto' }, tools.signal)
        if (!fitsBetter(found, sound)) continue
        sound = { ...found, why: `${found.why}; by its channel ${channel + 1} alone` }
        file = own
      }
    }
    return { usable, sound, file }
  }
  const hear = async (recording: Recording) => {
    const heard = await attempt(recording, () => place(recording))
    const { usable, sound, file } = 'failed' in heard ? NOT_HEARD : heard.value
    const trial: Trial = { recording, usable, sound, file, outcome: { placement: null, why: '', proof: null } }
    trials.push(trial)
    await report(trial, 'failed' in heard ? { placement: null, why: heard.failed, proof: null } : soundOutcome(recording, sound, usable, ways))
    done++
    tell(`${done} of ${recordings.length} files heard`)
  }
  const queue = [...recordings]
  const lane = async () => {
    for (let next = queue.shift(); next; next = queue.shift()) await hear(next)
  }
  await Promise.all(Array.from({ length: tools.analysis.threads }, lane))

  const lying = (): Placed[] => [...known, ...trials.filter(settled).map((t) => ({ recording: t.recording, ...secondsOf(t.outcome.placement as Placement) }))]
  /** Searches the sound close to a place that something else proposes. */
  const hearNear = async (trial: Trial, near: Near): Promise<SoundPlacement | null> => {
    if (!ways.has('sound') || !trial.usable || !masterSound || !trial.file) return null
    return tools.analysis.run({ kind: 'place', masterSound: masterSound.file, clipSound: trial.file, thorough: true, near, speed: 'auto' }, tools.signal)
  }

  if (ways.has('timecode')) {
    tools.onProgress(0.82, 'comparing timecode')
    for (const trial of trials) {
      const found = placeByTimecode(
        readings.get(trial.recording.id) ?? [],
        timecodeReferences(
          // Its own label would only say that it agrees with itself.
          lying().filter((p) => p.recording !== trial.recording),
          readings,
        ),
      )
      if ('refused' in found) {
        if (!trial.outcome.placement && readings.get(trial.recording.id)?.length)
          await report(trial, { ...trial.outcome, why: joined(trial.outcome.why, found.refused) })
        else if (!trial.outcome.placement && wishes.ways?.length === 1) await report(trial, { ...trial.outcome, why: found.refused })
        continue
      }
      const estimate = { startSeconds: found.startSeconds, tolerance: found.origin === 'sound' ? 0.1 : TIMECODE_TOLERANCE }
      if (settled(trial)) {
        const place = trial.outcome.placement as Placement
        const off = secondsOf(place).startSeconds - found.startSeconds
        const far = soundFrom(trial.recording, -off)
        const word = far ? `its timecode lies ${far}` : Math.abs(off) <= TIMECODE_TOLERANCE / 10 ? 'timecode agrees' : `its timecode says ${signed(-off)} s`
        await report(
          trial,
          withLate({ ...trial.outcome, placement: { ...place, why: joined(place.why, word) } }, far ? { seconds: -off, by: 'timecode' } : null),
        )
        continue
      }
      const byHeart = settledBy(trial, estimate, found.why)
      if (byHeart) {
        await report(trial, byHeart)
        continue
      }
      const near = await hearNear(trial, estimate)
      if (near && near.verdict !== 'loose' && near.startSeconds !== null) {
        await report(trial, {
          placement: placementOf(
            'sound',
            'sure',
            near.startSeconds,
            near.rate,
            joined(`by sound near its timecode (${windowsText(near)})`, found.why),
            0.95,
            near.proof,
          ),
          why: '',
          proof: near.proof,
        })
        continue
      }
      if (trial.outcome.placement) continue
      const heardBoth = found.origin === 'sound'
      const sure = heardBoth || found.agreeing > 1 || (wishes.ways?.length === 1 && wishes.ways[0] === 'timecode')
      await report(trial, {
        ...trial.outcome,
        placement: placementOf('timecode', sure ? 'sure' : 'check', found.startSeconds, found.rate, found.why, sure ? 0.9 : 0.5),
      })
    }
  }

  if (ways.has('light')) {
    const named = wishes.ways?.includes('light') ?? false
    // Sound that fits nowhere speaks against a clip; light is for those that have none, unless it is asked for.
    // When it is asked for, it also tells of those that sound placed how far the sound had come.
    const dark = trials.filter((t) => t.recording.facts.video && (named || (!settled(t) && (!t.usable || t.outcome.placement))))
    if (dark.length > 0) {
      tools.onProgress(0.86, 'comparing light')
      const references = await lightReferences(lying(), tools)
      for (const trial of dark) {
        const seen = await attempt(trial.recording, () => tools.luma(trial.recording))
        const luma = 'failed' in seen ? null : seen.value
        const { video } = trial.recording.facts
        if (!luma || !video) continue
        const before = trial.outcome.placement
        const near = wishes.near ?? (before ? { startSeconds: secondsOf(before).startSeconds, tolerance: TIMECODE_TOLERANCE } : null)
        const found: LightPlacement = await tools.analysis.run({ kind: 'light', references, clip: { file: luma, video }, near }, tools.signal)
        if (before && settled(trial)) {
          const late = found.verdict === 'sure' && found.startSeconds !== null ? found.startSeconds - secondsOf(before).startSeconds : 0
          const far = soundFrom(trial.recording, late)
          if (far)
            await report(
              trial,
              withLate({ ...trial.outcome, placement: { ...before, why: joined(before.why, `its light lies ${far}`) } }, { seconds: late, by: 'light' }),
            )
        } else if (found.verdict === 'loose' || found.startSeconds === null) {
          if (!before) await report(trial, { ...trial.outcome, why: joined(trial.outcome.why, found.why) })
        } else if (!before || found.verdict === 'sure') {
          const why = before ? joined(found.why, before.why) : found.why
          await report(trial, {
            ...trial.outcome,
            placement: placementOf('light', found.verdict, found.startSeconds, before?.rate ?? 1, why, found.verdict === 'sure' ? 0.9 : 0.5),
          })
        }
      }
    }
  }

  if (ways.has('sound')) await placeThroughOthers(trials, lying(), tools, report)

  if (ways.has('time')) {
    tools.onProgress(0.97, 'comparing recording times')
    const references = clockReferences(lying())
    for (const trial of trials) {
      const clock = clockOf(trial.recording)
      const estimate = clock === null ? null : placeByClock(clock, references)
      if (!estimate || settled(trial)) continue
      const text = `by the clock of its camera, within ${estimate.tolerance.toFixed(0)} s`
      const byHeart = settledBy(trial, estimate, text)
      if (byHeart) {
        await report(trial, byHeart)
        continue
      }
      if (trial.outcome.placement || !touches(lying(), estimate.startSeconds, trial.recording.facts.durationSeconds)) continue
      const near = await hearNear(trial, estimate)
      if (near && near.verdict !== 'loose' && near.startSeconds !== null) {
        const why = `by sound near its recording time (${windowsText(near)})`
        await report(trial, {
          placement: placementOf('sound', near.verdict, near.startSeconds, near.rate, why, near.confidence, near.proof),
          why: '',
          proof: near.proof,
        })
      } else if (!trial.usable || !ways.has('sound')) {
        await report(trial, {
          ...trial.outcome,
          placement: placementOf('time', 'check', estimate.startSeconds, 1, `${text}; set a mark or compare by eye`, 0.3),
        })
      }
    }
  }

  if (ways.has('first-frame'))
    for (const trial of trials) {
      if (trial.outcome.placement) continue
      const start = -(trial.recording.facts.video?.startSeconds ?? 0)
      await report(trial, {
        ...trial.outcome,
        placement: placementOf('first-frame', 'check', start, 1, 'its first frame put at the beginning of the master', 0.1),
      })
    }
  return new Map(trials.map((t) => [t.recording.id, t.outcome]))
}

/** Sound comes from at most so far, s; more is another disagreement. */
const MOST_LATE = 0.35

/** Says how far the sound had come when the picture lies later than the sound by more than a frame; null when it does not. */
function soundFrom({ facts }: Recording, late: number): string | null {
  const frame = facts.video ? facts.video.rate.den / facts.video.rate.num : 0.04
  if (late <= 1.05 * frame || late > MOST_LATE) return null
  return `${Math.round(late * 1000)} ms later than its sound, which came from about ${Math.round(late * SOUND_SPEED)} m`
}

function withLate(outcome: Outcome, late: SoundProof['late'] | null): Outcome {
  return late && outcome.proof ? { ...outcome, proof: { ...outcome.proof, late } } : outcome
}

const RANK = { sure: 2, check: 1, loose: 0 }

function fitsBetter(a: SoundPlacement, b: SoundPlacement): boolean {
  return RANK[a.verdict] > RANK[b.verdict] || (a.verdict === b.verdict && a.verdict === 'check' && a.confidence > b.confidence)
}

function soundOutcome(recording: Recording, sound: SoundPlacement | null, usable: boolean, ways: ReadonlySet<Way>): Outcome {
  if (sound && sound.verdict !== 'loose' && sound.startSeconds !== null)
    return {
      placement: placementOf('sound', sound.verdict, sound.startSeconds, sound.rate, sound.why, sound.confidence, sound.proof),
      why: '',
      proof: sound.proof,
    }
  const why =
    sound?.why ??
    (!ways.has('sound')
      ? 'not found by the ways that were tried'
      : recording.facts.audio
        ? usable
          ? 'the master has no sound'
          : 'the sound is silence or too short'
        : 'no sound in this file')
  return { placement: null, why, proof: sound?.proof ?? null }
}

/** Where places fit almost equally by sound, an estimate from elsewhere may mean just one of them. */
function settledBy(trial: Trial, estimate: Near, text: string): Outcome | null {
  const { sound, outcome } = trial
  if (!sound?.proof.chosen || outcome.placement?.verdict !== 'check') return null
  const open = [sound.proof.chosen, ...sound.proof.rivals.filter((r) => r.support > 0.8 * (sound.proof.chosen?.support ?? 0))]
  const index =
    open.length > 1
      ? settleRivals(
          open.map((c) => c.startSeconds),
          estimate,
        )
      : -1
  if (index < 0) return null
  const { startSeconds, rate, agreeing, windows } = open[index]
  if (agreeing < 0.4 * windows) return null
  const why = `by sound (${agreeing} of ${windows} windows agree); of ${open.length} places that fit, chosen ${text}`
  return {
    placement: placementOf('sound', 'sure', startSeconds, rate, why, 0.85),
    why: '',
    proof: { ...sound.proof, chosen: open[index], rivals: open.filter((_, i) => i !== index) },
  }
}

const NOT_HEARD = { usable: false, sound: null, file: '' }

/** Reads one recording; one that cannot be read never stops the others, and is told of by its name. */
async function attempt<T>(recording: Recording, read: () => Promise<T>): Promise<{ value: T } | { failed: string }> {
  try {
    return { value: await read() }
  } catch (error) {
    const { code, name } = error as { code?: string; name?: string }
    if (code === 'cancelled' || code === 'disk' || name === 'AbortError') throw error
    return { failed: error instanceof MediaError ? error.message : `${recording.name} could not be compared; it may be damaged. Copy it from the card again` }
  }
}

async function lightReferences(placed: readonly Placed[], tools: LineUpTools) {
  const cameras = placed
    .filter((p) => p.recording.facts.video)
    .sort((a, b) => b.recording.facts.durationSeconds - a.recording.facts.durationSeconds)
    .slice(0, MOST_LIGHT_REFERENCES)
  const out = []
  for (const { recording, startSeconds, rate } of cameras) {
    const seen = await attempt(recording, () => tools.luma(recording))
    const file = 'failed' in seen ? null : seen.value
    if (file && recording.facts.video) out.push({ file, video: recording.facts.video, startSeconds, rate })
  }
  return out
}

/** Clips that the master does not cover find their place through those that reach out of it, and through each other. */
async function placeThroughOthers(
  trials: readonly Trial[],
  lying: readonly Placed[],
  tools: LineUpTools,
  report: (trial: Trial, outcome: Outcome) => Promise<void>,
): Promise<void> {
  const end = lying[0].startSeconds + lying[0].recording.facts.durationSeconds
  const reaching = lying
    .slice(1)
    .filter((p) => p.startSeconds < -REACH_SECONDS || p.startSeconds + p.rate * p.recording.facts.durationSeconds > end + REACH_SECONDS)
  // A place that is only to be checked may be a chance; one that hangs on another camera for sure is better.
  const lost = trials.filter((t) => t.usable && t.outcome.placement?.verdict !== 'sure')
  if (lost.length === 0 || reaching.length + lost.length < 2) return
  const others = [...reaching.map((p) => p.recording), ...lost.map((t) => t.recording)]
  const pairs = lost
    .flatMap((t, i) => others.filter((r, k) => r.facts.audio && k < reaching.length + i).map((r) => [t.recording, r] as const))
    .slice(0, MOST_PAIRS)
  const links: Link[] = []
  const measured = new Map<string, SoundPlacement>()
  let done = 0
  const queue = [...pairs]
  const lane = async () => {
    for (let pair = queue.shift(); pair; pair = queue.shift()) {
      // The longer one is the ground that the shorter is searched on.
      const [clip, ground] = pair[0].facts.durationSeconds <= pair[1].facts.durationSeconds ? pair : [pair[1], pair[0]]
      const [heard, below] = [await attempt(clip, () => tools.sound(clip)), await attempt(ground, () => tools.sound(ground))]
      const [a, b] = ['failed' in heard ? null : heard.value, 'failed' in below ? null : below.value]
      if (a && b) {
        const found = await tools.analysis.run({ kind: 'place', masterSound: b.file, clipSound: a.file, thorough: false, near: null, speed: 1 }, tools.signal)
        if (found.verdict === 'sure' && found.startSeconds !== null) {
          links.push({
            from: clip.id,
            to: ground.id,
            offsetSeconds: found.startSeconds,
            rate: found.rate,
            weight: Math.max(1, found.proof.chosen?.support ?? 1),
          })
          measured.set(clip.id, found)
        }
      }
      done++
      tools.onProgress(0.88 + (0.08 * done) / pairs.length, `${done} of ${pairs.length} pairs compared`)
    }
  }
  await Promise.all(Array.from({ length: tools.analysis.threads }, lane))
  const fixed = new Map<string, Place>(reaching.map((p) => [p.recording.id, { startSeconds: p.startSeconds, rate: p.rate }]))
  const { places, islands } = solveLinks(fixed, links)
  const nameOf = (id: string) => others.find((r) => r.id === id)?.name ?? id
  for (const trial of lost) {
    const { id } = trial.recording
    const place = places.get(id)
    const partners = links.filter((l) => l.from === id || l.to === id).map((l) => nameOf(l.from === id ? l.to : l.from))
    if (place) {
      // Where the master sounds as well, the clip would have been found on it: then this may be a passage that comes again.
      const length = place.rate * trial.recording.facts.durationSeconds
      const covered = Math.min(end, place.startSeconds + length) - Math.max(0, place.startSeconds)
      const doubtful = covered > COVERED_SECONDS
      if (doubtful && trial.outcome.placement) continue
      const why = doubtful
        ? `by sound through ${partners.join(', ')}, but the master, which covers it for ${Math.round(covered)} s, does not fit it there`
        : `by sound through ${partners.join(', ')}; the master does not cover it`
      await report(trial, {
        placement: placementOf('through', doubtful ? 'check' : 'sure', place.startSeconds, place.rate, why, doubtful ? 0.4 : 0.85),
        why: '',
        proof: measured.get(id)?.proof ?? null,
      })
    } else if (!trial.outcome.placement && islands.some((group) => group.includes(id))) {
      await report(trial, { ...trial.outcome, why: joined(trial.outcome.why, `it fits ${partners.join(', ')}, but none of them lies on the master`) })
    }
  }
}

function touches(placed: readonly Placed[], start: number, seconds: number): boolean {
  return placed.some((p) => start < p.startSeconds + p.rate * p.recording.facts.durationSeconds && start + seconds > p.startSeconds)
}

function placementOf(
  method: Placement['method'],
  verdict: Placement['verdict'],
  startSeconds: number,
  speed: number,
  why: string,
  confidence: number,
  proof?: SoundProof,
): Placement {
  const { start, rate } = placementFromSeconds(startSeconds, speed)
  const jumps = (proof?.jumps ?? []).map((j) => ({ at: secondsToFlicks(j.clipSeconds), by: secondsToFlicks(j.bySeconds) }))
  return { start, rate, method, verdict, confidence, why, locked: false, ...(jumps.length > 0 && { jumps }) }
}

/** Start and rate of a placement in seconds. */
export function secondsOf({ start, rate }: Pick<Placement, 'start' | 'rate'>): { startSeconds: number; rate: number } {
  return { startSeconds: start / 705_600_000, rate }
}

function windowsText(found: SoundPlacement): string {
  return `${found.proof.chosen?.agreeing ?? 0} of ${found.proof.chosen?.windows ?? 0} windows`
}

function joined(...parts: string[]): string {
  return [...new Set(parts.filter(Boolean))].join('; ').slice(0, 400)
}

function signed(seconds: number): string {
  return `${seconds < 0 ? '−' : '+'}${Math.abs(seconds).toFixed(2)}`
}
