import { speakerName } from '@pendolo/api'
import { type Following, following, type PointChange, type Stretch } from '@pendolo/core/mix'
import { type Edit, marksOnMaster, type ProjectDoc } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import type { Seen } from './ribbon.tsx'
import { levelEdit, onEdit, type SoundRow } from './rows.ts'

/** Changes of a level that follows words, or the cut, take this long. */
const WORD_FADE = flicks(FLICKS_PER_SECOND / 8)
const CUT_FADE = flicks(FLICKS_PER_SECOND / 20)

/** How levels follow who speaks. */
export interface Leading {
  /** Others are down by so much, dB. */
  readonly downBy: number
  /** Open so long before a phrase and after it, s. */
  readonly lead: number
  readonly tail: number
  /** What gives way to all speech, by so much, dB. */
  readonly music: readonly string[]
  readonly duckBy: number
}
export const USUAL_LEADING: Leading = { downBy: 18, lead: 0.15, tail: 0.4, music: [], duckBy: 12 }
/** Phrases nearer to each other than this are spoken in one breath, s. */
const BREATH = 0.7

/** Phrases of the master by the name of who speaks. */
function phrasesBySpeaker(doc: ProjectDoc): Map<string, Stretch[]> {
  const out = new Map<string, Stretch[]>()
  for (const { kind, time, end, name } of marksOnMaster(doc)) {
    if (kind !== 'phrase' || end === undefined) continue
    out.set(name, [...(out.get(name) ?? []), { from: time, to: end }])
  }
  return out
}

/** Rows whose wearer speaks in some phrases, with these. */
export function voicesOf(doc: ProjectDoc, rows: readonly SoundRow[]): { row: SoundRow; phrases: readonly Stretch[] }[] {
  const phrases = phrasesBySpeaker(doc)
  return rows.flatMap((row) => {
    const own = row.clip && row.file && phrases.get(speakerName(doc, row.clip, row.file.name, row.channel))
    return own ? [{ row, phrases: own }] : []
  })
}

/** A level drawn over all of the event in place of what is drawn. */
function drawnAnew(doc: ProjectDoc, row: SoundRow, points: readonly PointChange[]): Edit {
  const fresh = new Set(points.map((p) => p.time))
  const old = Object.keys(doc.envelopes[row.key] ?? {})
    .map((t) => flicks(Number(t)))
    .filter((t) => !fresh.has(t))
  return levelEdit(row, [...old.map((time) => ({ time, gainDb: null })), ...points])
}

/**
 * Draws who is heard when: each microphone open for the phrases of who wears it and down otherwise, and music down under all speech.
 * @param voices rows with the phrases of each
 * @param whole the event
 */
export function leadEdits(
  doc: ProjectDoc,
  voices: readonly { readonly row: SoundRow; readonly phrases: readonly Stretch[] }[],
  music: readonly SoundRow[],
  { downBy, lead, tail, duckBy }: Leading,
  whole: Stretch,
): Edit[] {
  const open: Following = { openDb: 0, downDb: -downBy, lead, tail, bridge: BREATH }
  const all = voices.flatMap((v) => v.phrases)
  return [
    ...voices.map(({ row, phrases }) => drawnAnew(doc, row, following(phrases, whole, open, WORD_FADE))),
    ...music.map((row) => drawnAnew(doc, row, following(all, whole, { ...open, openDb: -duckBy, downDb: 0 }, flicks(2 * WORD_FADE)))),
  ]
}

/** Lets the sound of each angle be heard while the angle is seen, and be down by so much otherwise. */
export function followCutEdits(doc: ProjectDoc, rows: readonly SoundRow[], seen: readonly Seen[], downBy: number, whole: Stretch): Edit[] {
  return rows.flatMap((row): Edit[] => {
    if (row.kind !== 'clip' || !row.clip) return []
    const own = seen.filter((s) => s.angleId !== null && s.angleId === row.clip?.angleId)
    const rules: Following = { openDb: 0, downDb: -downBy, lead: 0, tail: 0, bridge: 0 }
    return [...(row.on ? [] : [onEdit(row, true)]), drawnAnew(doc, row, following(own, whole, rules, CUT_FADE))]
  })
}
