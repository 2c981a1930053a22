import { nearestIndex } from '../cut/index.ts'
import { type Cut, type ProjectDoc, pulseOf } from '../project/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, nearestFrameStart, type Rate } from '../time/index.ts'
import { activeCut, type FilmResolver } from './resolver.ts'

/** What somebody should know before a film leaves; the interface has the words. `at` is master time. */
export type FilmWarning = (
  | { readonly kind: 'dark'; readonly at: Flicks; readonly seconds: number; readonly wanted: string; readonly shown: string | null }
  | { readonly kind: 'unchosen'; readonly at: Flicks; readonly seconds: number; readonly shown: string | null }
  | { readonly kind: 'short'; readonly at: Flicks; readonly frames: number }
  /** The same picture goes on behind a cut; or where a middle was left out, the same angle jumps. */
  | { readonly kind: 'alike'; readonly at: Flicks; readonly angleId: string; readonly jumps: boolean }
  /** Beside a beat by so many frames, later where positive. */
  | { readonly kind: 'off-beat'; readonly at: Flicks; readonly frames: number }
  /** A transition that lasts shorter than it was asked for, frames: there is not enough picture for it, or the next cut is near. */
  | { readonly kind: 'hurried'; readonly at: Flicks; readonly wanted: number; readonly frames: number }
  | { readonly kind: 'sides'; readonly at: Flicks; readonly from: string; readonly to: string }
  | { readonly kind: 'doubtful'; readonly at: Flicks; readonly clipId: string; readonly verdict: string }
) & {
  /** By which it is accepted. */
  readonly key: string
  readonly accepted: boolean
}

type Found = FilmWarning extends infer W ? (W extends FilmWarning ? Omit<W, 'key' | 'accepted'> : never) : never

/** Stretches of fewer frames are mentioned, unless the project says otherwise. */
export const SHORTEST = 6
/** A cut so near to a beat was meant for it, frames; and never further than this part of the beat. */
const MEANT_FRAMES = 6
const MEANT_PART = 0.35

/**
 * What is worth a look in a film.
 * @param cut the version whose decisions count: its transitions, its accepted warnings, and the doubtful places it uses
 */
export function filmWarnings(film: FilmResolver, doc: ProjectDoc, rate: Rate, cut: Cut = activeCut(doc)): FilmWarning[] {
  const plan = film.plan()
  const found: Found[] = []
  const sides = new Map(doc.angles.map((a) => [a.id, a.side]))
  const offBeat = beatsOf(doc, rate)
  const shortest = doc.settings.shortest ?? SHORTEST
  for (const [i, stretch] of plan.entries()) {
    const { from, length, wanted, angleId, standIn } = stretch
    if (from === null) continue
    const seconds = length / FLICKS_PER_SECOND
    const frames = Math.round((seconds * rate.num) / rate.den)
    if (wanted === null) found.push({ kind: 'unchosen', at: from, seconds, shown: angleId })
    else if (standIn) found.push({ kind: 'dark', at: from, seconds, wanted, shown: angleId })
    else if (frames < shortest) found.push({ kind: 'short', at: from, frames })
    const before = plan[i - 1]
    if (!before || before.from === null || angleId === null) continue
    const goesOn = before.from + before.length === from
    if (!standIn && !before.standIn && before.angleId === angleId && before.clipId === stretch.clipId)
      found.push({ kind: 'alike', at: from, angleId, jumps: !goesOn })
    const [one, two] = [sides.get(before.angleId ?? ''), sides.get(angleId)]
    if (one && two && one !== two && before.angleId) found.push({ kind: 'sides', at: from, from: before.angleId, to: angleId })
    // What a clip's end made is no cut that somebody set.
    const off = goesOn && before.wanted !== wanted ? offBeat(from) : 0
    if (off !== 0) found.push({ kind: 'off-beat', at: from, frames: off })
  }
  const lasting = new Map(film.passages(cut.id).map((p) => [p.at, 2 * p.half]))
  const inFrames = (length: number) => Math.round(((length / FLICKS_PER_SECOND) * rate.num) / rate.den)
  for (const { time, transition } of cut.points) {
    if (!transition) continue
    const [wanted, frames] = [inFrames(transition.length), inFrames(lasting.get(time) ?? 0)]
    if (frames < wanted) found.push({ kind: 'hurried', at: time, wanted, frames })
  }
  const used = new Set(plan.map((s) => s.clipId))
  for (const [clipId, { verdict, start }] of Object.entries(doc.placements))
    if (verdict !== 'sure' && used.has(clipId)) found.push({ kind: 'doubtful', at: start, clipId, verdict })
  return found.map((w) => {
    const key = `${w.kind}:${w.kind === 'doubtful' ? w.clipId : w.at}`
    return { ...w, key, accepted: cut.accepted?.[key] === true } as FilmWarning
  })
}

/** Tells by how many frames a cut lies beside the beat it was meant for; 0 where it is on it, or was meant for none. */
function beatsOf(doc: ProjectDoc, rate: Rate): (at: Flicks) => number {
  const beats = pulseOf(doc)?.beats ?? []
  const frame = frameStart(1, rate)
  return (at) => {
    const lead = doc.settings.lead * frame
    const near = nearestIndex(beats, at + lead)
    if (near < 0) return 0
    const off = Math.round((at - (nearestFrameStart(beats[near], rate) - lead)) / frame)
    const beat = (beats[near + 1] ?? flicks(beats[near] + FLICKS_PER_SECOND / 2)) - beats[near]
    return Math.abs(off) > 1 && Math.abs(off) <= MEANT_FRAMES && Math.abs(off) * frame <= MEANT_PART * beat ? off : 0
  }
}
