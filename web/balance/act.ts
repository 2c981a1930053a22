import { MAX_GAIN_DB, MIN_GAIN_DB, raised, SHORT_FADE, type Stretch, undrawn, withoutRanges } from '@pendolo/core/mix'
import type { Edit, MixRange, ProjectDoc } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { newId } from '../ids.ts'
import { levelEdit, type SoundRow, stripEdit } from './rows.ts'

/** A level that is raised by a key changes over this time. */
export const RAISE_FADE = flicks(FLICKS_PER_SECOND / 10)
/** By what a key raises, dB. */
export const STEP_DB = 1

/** Lets rows be heard in a stretch, or not, whatever else was said of it there. Groups have no ranges of their own. */
export function hearEdits(rows: readonly SoundRow[], stretch: Stretch, on: boolean, fade = SHORT_FADE): Edit[] {
  const ranges: MixRange[] = []
  const remove: string[] = []
  for (const row of rows) {
    if (!row.clip) continue
    const free = withoutRanges(row.ranges, stretch, newId)
    const lasting = fade === SHORT_FADE ? {} : { fadeIn: fade, fadeOut: fade }
    ranges.push(...free.set, { id: newId(), clipId: row.clip.id, ...(row.channel && { channel: row.channel.key }), ...stretch, on, ...lasting })
    remove.push(...free.remove)
  }
  return [
    ...(remove.length > 0 ? [{ type: 'removeMixRanges' as const, rangeIds: remove }] : []),
    ...(ranges.length > 0 ? [{ type: 'mixRanges' as const, ranges }] : []),
  ]
}

/** Raises rows: what is drawn in a stretch, or without one the whole strip. */
export function raiseEdits(doc: ProjectDoc, rows: readonly SoundRow[], stretch: Stretch | null, by: number): Edit[] {
  return rows.map((row) =>
    stretch
      ? levelEdit(row, raised(doc.envelopes[row.key], stretch, by, RAISE_FADE))
      : stripEdit(row, { gainDb: Math.max(MIN_GAIN_DB, Math.min(MAX_GAIN_DB, row.strip.gainDb + by)) }),
  )
}

/** Takes away all that was said of a stretch: ranges and what is drawn. */
export function clearEdits(doc: ProjectDoc, rows: readonly SoundRow[], stretch: Stretch): Edit[] {
  return rows.flatMap((row): Edit[] => {
    const { set, remove } = withoutRanges(row.ranges, stretch, newId)
    const points = undrawn(doc.envelopes[row.key], stretch, RAISE_FADE)
    return [
      ...(remove.length > 0 ? [{ type: 'removeMixRanges' as const, rangeIds: remove }] : []),
      ...(set.length > 0 ? [{ type: 'mixRanges' as const, ranges: set }] : []),
      ...(points.length > 0 ? [levelEdit(row, points)] : []),
    ]
  })
}
