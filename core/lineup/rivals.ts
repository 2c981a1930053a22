import type { SampleSource } from '../signal/index.ts'
import type { SumResult } from './buried.ts'
import { type Compared, compareLines } from './differ.ts'
import { LEFT_BY_CHANCE, type Ranked, SUM_RIVAL, SUM_SURE, SURE_RIVAL, verdictOf, type Weighed } from './verdict.ts'

/** Standard deviations of chance by which what differs must speak for a place against a rival. */
const DIFFERENT = 5

/** Puts the place first that what differs between the rivals speaks for, where it does. */
export function settled(master: SampleSource, clip: SampleSource, ranked: Weighed[], speed: number): Pick<Ranked, 'ranked' | 'settled'> {
  const rivals = ranked.filter((w) => w.candidate.support >= SURE_RIVAL * ranked[0].candidate.support)
  if (rivals.length < 2 || verdictOf({ ranked }).verdict !== 'check') return { ranked, settled: null }
  const sign = polarity(rivals[0])
  const told = toldFromAll(rivals, (a, b) => compareLines(master, clip, lineOf(a, speed), lineOf(b, speed), sign, 'which'))
  if (!told) return { ranked, settled: null }
  return { ranked: [told.place, ...ranked.filter((w) => w !== told.place)], settled: Math.min(...told.against.map((c) => c.forA)) }
}

/** A sum whose rivals come near it, with that place first that what differs between them speaks for; null where it does not. */
export function toldOfSums(master: SampleSource, clip: SampleSource, found: SumResult): SumResult | null {
  const all = [found.best, ...found.rivals]
  const rivals = all.filter((s) => s.strength >= SUM_RIVAL * found.best.strength)
  if (rivals.length < 2 || found.best.strength < SUM_SURE) return null
  const told = toldFromAll(rivals, (a, b) => compareLines(master, clip, a, b, a.inverted ? -1 : 1, 'which'))
  // Something of another place, and not of this one: it may lie at a repetition that the master does not hold.
  if (!told || told.against.some((c) => c.ofB > Math.max(LEFT_BY_CHANCE, LEFT_SHARE * c.ofA))) return null
  return { ...found, best: told.place, rivals: all.filter((s) => s !== told.place) }
}

/**
 * The one of several places that what differs speaks for against each other one, and how it compares with them; null where there
 * is none. Of two that nothing tells apart it is neither, so that half as many pairs as places are compared where none is.
 */
export function toldFromAll<T>(places: readonly T[], compare: (a: T, b: T) => Compared | null): { place: T; against: Compared[] } | null {
  let first: T | null = null
  let beaten = new Map<T, Compared>()
  for (const place of places) {
    if (first === null) {
      ;[first, beaten] = [place, new Map()]
      continue
    }
    const told: Compared | null = compare(first, place)
    if (told && told.forA >= DIFFERENT) beaten.set(place, told)
    else if (told && told.forA <= -DIFFERENT) {
      beaten = new Map([[first, { ofA: told.ofB, ofB: told.ofA, forA: -told.forA }]])
      first = place
    } else first = null
  }
  if (first === null) return null
  for (const place of places) {
    if (place === first || beaten.has(place)) continue
    const told = compare(first, place)
    if (!told || told.forA < DIFFERENT) return null
    beaten.set(place, told)
  }
  return { place: first, against: [...beaten.values()] }
}

const lineOf = ({ candidate }: Weighed, speed: number) => ({ startSeconds: candidate.startSeconds, rate: candidate.rate / speed })
const polarity = ({ windows, fit }: Weighed) => Math.sign(windows.reduce((sum, w, i) => sum + (fit.agrees[i] ? w.coherence : 0), 0)) || 1

/** Rivals that are worth asking: not weaker than this beside the first, and so many. */
const ASKED_RIVAL = 0.3
const ASKED_RIVALS = 3
/** What is left of a rival counts from this share of what speaks for the first on. */
const LEFT_SHARE = 0.3

/**
 * What is heard in the clip of places that resemble the one that was found, and that this one has not. A clip that truly lies
 * there has nothing of them: what it holds besides is noise. Where music comes again and the clip lies at a repetition that
 * the master does not hold, each of the others explains something more.
 */
export function leftOfRivals(master: SampleSource, clip: SampleSource, [chosen, ...others]: Weighed[], speed: number): number {
  const rivals = others.filter((w) => w.candidate.support >= ASKED_RIVAL * chosen.candidate.support).slice(0, ASKED_RIVALS)
  return rivals.reduce((most, rival) => {
    const told = compareLines(master, clip, lineOf(chosen, speed), lineOf(rival, speed), polarity(chosen), 'left')
    // A long room leaves a little of everything; beside what speaks for the right place it is nothing.
    return told && told.ofB > LEFT_SHARE * told.ofA ? Math.max(most, told.ofB) : most
  }, 0)
}
