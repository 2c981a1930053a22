import type { SwitchPoint } from '../cut/index.ts'
import { FLICKS_PER_SECOND, type Flicks } from '../time/index.ts'
import type { BeatBlock, Cut, KeptPulse, Mark, ProjectDoc, Pulse } from './types.ts'

// Documents are never changed in place, so a record's sorted view holds as long as the record does. Only a recorder changes
// the records it has copied itself, and says so.
const points = new WeakMap<object, readonly SwitchPoint[]>()
const marks = new WeakMap<object, readonly Mark[]>()
const pulses = new WeakMap<KeptPulse, Pulse>()

function kept<K extends object, V>(views: WeakMap<K, V>, key: K, make: () => V): V {
  let view = views.get(key)
  if (view === undefined) {
    view = make()
    views.set(key, view)
  }
  return view
}

/** Switch points of a version, ascending; made once for each state of it. O(n log n) the first time, then O(1). */
export function pointsOf(cut: Pick<Cut, 'points'>): readonly SwitchPoint[] {
  return kept(points, cut.points, () =>
    Object.entries(cut.points)
      .map(([time, choice]): SwitchPoint => ({ time: Number(time) as Flicks, ...choice }))
      .sort((a, b) => a.time - b.time),
  )
}

/** Marks of a project in the order of their own times, those of equal time in the order of their ids; made once for each state. */
export function marksOf(doc: Pick<ProjectDoc, 'marks'>): readonly Mark[] {
  return kept(marks, doc.marks, () => Object.values(doc.marks).sort((a, b) => a.time - b.time || (a.id < b.id ? -1 : 1)))
}

/** The record of a list of switch points. */
export function pointRecord(list: readonly SwitchPoint[]): Record<string, Omit<SwitchPoint, 'time'>> {
  return Object.fromEntries(list.map(({ time, ...choice }) => [String(time), choice]))
}

/** Tells the order of a version's points when it is known already, so that it need not be found again. */
export function keepPoints(cut: Pick<Cut, 'points'>, list: readonly SwitchPoint[]): void {
  points.set(cut.points, list)
}

/** Forgets the order of marks that are being changed. */
export function forgetMarks(doc: Pick<ProjectDoc, 'marks'>): void {
  marks.delete(doc.marks)
}

const MINUTE = 60 * FLICKS_PER_SECOND

/** The project's pulse with all its beats in one list; made once for each state of it. Not to be changed in place. */
export function pulseOf(doc: Pick<ProjectDoc, 'pulse'>): Pulse | null {
  const { pulse } = doc
  if (!pulse) return null
  return kept(pulses, pulse, () => {
    const { blocks, ...rest } = pulse
    const beats: Flicks[] = []
    const downbeats: number[] = []
    for (const key of Object.keys(blocks).sort((a, b) => Number(a) - Number(b))) {
      const block = blocks[key]
      for (const index of block.downbeats) downbeats.push(beats.length + index)
      for (const beat of block.beats) beats.push(beat)
    }
    return { ...rest, beats, downbeats }
  })
}

/** A pulse in the form in which it is kept. */
export function inBlocks({ beats, downbeats, ...rest }: Pulse): KeptPulse {
  const blocks: Record<string, BeatBlock> = {}
  const down = new Set(downbeats)
  for (const [i, beat] of beats.entries()) {
    const key = String(Math.floor(beat / MINUTE))
    blocks[key] ??= { beats: [], downbeats: [] }
    if (down.has(i)) blocks[key].downbeats.push(blocks[key].beats.length)
    blocks[key].beats.push(beat)
  }
  return { ...rest, blocks }
}

/** Forgets the list of beats that are being changed. */
export function forgetPulse({ pulse }: Pick<ProjectDoc, 'pulse'>): void {
  if (pulse) pulses.delete(pulse)
}
