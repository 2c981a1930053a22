import { SHORT_FADE, type Stretch } from '@pendolo/core/mix'
import type { Edit, ProjectDoc } from '@pendolo/core/project'
import { type Flicks, flicks } from '@pendolo/core/time'
import { useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import { useKeys } from '../ui/use-keys.ts'
import { clearEdits, hearEdits, raiseEdits, STEP_DB } from './act.ts'
import type { RangeActs } from './foot.tsx'
import { onEdit, type SoundRow, stripEdit } from './rows.ts'

/** What is raised where another sound is silenced, dB. */
const INSTEAD_DB = 6

interface Wanted {
  readonly doc: ProjectDoc
  /** All rows that are seen, and those of them that are chosen. */
  readonly rows: readonly SoundRow[]
  readonly chosen: readonly SoundRow[]
  readonly onChosen: (keys: readonly string[]) => void
  readonly edit: (edits: Edit[], label: string, group?: string) => boolean
  /** The stretch of the cut at an instant. */
  readonly stretchAt: (time: Flicks) => Stretch | null
}

/** The chosen range, and what keys and buttons do with the chosen sounds in it. */
export function useRange({ doc, rows, chosen, onChosen, edit, stretchAt }: Wanted) {
  const [range, setRange] = useState<Stretch | null>(null)
  const [fade, setFade] = useState<Flicks>(SHORT_FADE)
  const make = (edits: Edit[], label: string) => edits.length > 0 && edit(edits, label)
  const acts: RangeActs = {
    hear: (on) => range && make(hearEdits(chosen, range, on, fade), on ? 'hear here' : 'silent here'),
    raise: (by) => make(raiseEdits(doc, chosen, range, by), by > 0 ? 'raise' : 'lower'),
    clear: () => range && make(clearEdits(doc, chosen, range), 'as it was'),
    instead: (key) => {
      const other = rows.filter((r) => r.key === key)
      if (range) make([...hearEdits(chosen, range, false, fade), ...raiseEdits(doc, other, range, INSTEAD_DB)], 'silent here, another up')
    },
    none: () => setRange(null),
  }
  const ends = (change: (now: Flicks, old: Stretch | null) => Stretch) => {
    const next = change(engine.now(), range)
    if (next.to > next.from) setRange(next)
  }
  const step = (by: number) => {
    const at = rows.findIndex((r) => r.key === chosen[chosen.length - 1]?.key)
    const next = rows[at < 0 ? 0 : Math.max(0, Math.min(rows.length - 1, at + by))]
    if (next) onChosen([next.key])
  }
  const all = (edits: (row: SoundRow) => Edit, label: string) => make(chosen.map(edits), label)
  useKeys(
    'stepSound',
    () => step(-1),
    () => step(1),
  )
  useKeys('hearOn', () => all((r) => onEdit(r, !chosen[0]?.on), 'hear, or not'))
  useKeys('soloSound', () => all((r) => stripEdit(r, { solo: !chosen[0]?.strip.solo }), 'solo'))
  useKeys('muteSound', () => all((r) => stripEdit(r, { mute: !chosen[0]?.strip.mute }), 'mute'))
  useKeys(
    'soundRange',
    () => ends((now, old) => ({ from: now, to: old && old.to > now ? old.to : flicks(now + 1) })),
    () => ends((now, old) => ({ from: old && old.from < now ? old.from : flicks(now - 1), to: now })),
  )
  useKeys('stretchRange', () => {
    const stretch = stretchAt(engine.now())
    if (stretch) setRange(stretch)
  })
  useKeys('silence', () => acts.hear(false))
  useKeys('hearHere', () => acts.hear(true))
  useKeys(
    'raise',
    () => acts.raise(STEP_DB),
    () => acts.raise(-STEP_DB),
  )
  useKeys('asItWas', acts.clear)
  useKeys('nothing', acts.none)
  return { range, setRange, fade, setFade, acts }
}
