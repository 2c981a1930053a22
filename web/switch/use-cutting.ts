import { type Magnet, nearestIndex, pulled } from '@pendolo/core/cut'
import { activeCut } from '@pendolo/core/film'
import { anglesInUse, marksOnMaster, type ProjectDoc, pointsOf, projectRate, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, firstFrom, flicks, frameStart, lastUpTo, nearestFrameStart } from '@pendolo/core/time'
import { App } from 'antd'
import { useEffect, useMemo, useRef } from 'react'
import { engine, useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { belongsToFocus } from '../ui/focus.ts'
import { ANGLE_KEYS } from '../ui/keymap.ts'
import { useTouchLag } from '../ui/touch-lag.ts'
import { useKeys } from '../ui/use-keys.ts'

const CODES = ANGLE_KEYS.map((k) => (/\d/.test(k) ? `Digit${k}` : `Key${k.toUpperCase()}`))
/** Long enough for the new cut to reach the picture engine on a busy machine. */
const PREVIEW_SECONDS = 0.3
/** A dragged cut is pulled only by what is so near, s. */
const REACH = 0.18

/** Times that pull cuts to themselves, ascending. */
function pulling(doc: ProjectDoc, magnet: Magnet): readonly Flicks[] {
  const { beats = [], downbeats = [], hits = [] } = pulseOf(doc) ?? {}
  if (magnet === 'off') return []
  if (magnet === 'beat') return beats
  if (magnet === 'bar') return downbeats.map((i) => beats[i])
  if (magnet === 'hit') return hits
  return marksOnMaster(doc).map((m) => m.time)
}

/** The mark within `reach` seconds, if any. */
function near(marks: readonly Flicks[], time: Flicks, reach: number): readonly Flicks[] {
  const i = nearestIndex(marks, time)
  return i >= 0 && Math.abs(marks[i] - time) < reach * FLICKS_PER_SECOND ? [marks[i]] : []
}

export interface Cutting {
  /** Shows an angle from here on, or gives it to the stretch under the playhead. */
  readonly choose: (angleId: string, reassign: boolean) => void
  /** Where a dragged cut lands. */
  readonly snap: (time: Flicks) => Flicks
  readonly roll: (from: Flicks, to: Flicks) => boolean
}

/** Cutting by presses: where they land, and what a run of them replaces. */
export function useCutting({ project, edit }: Pick<StageProps, 'project' | 'edit'>): Cutting {
  const { doc } = project
  const { settings } = doc
  const rate = projectRate(settings)
  const cut = activeCut(doc)
  const lag = useTouchLag()
  const playing = useEngine((s) => s.playing)
  const marks = useMemo(() => pulling(doc, settings.magnet), [doc, settings.magnet])
  /** Time of the last press in this run of playing: what lies between two presses has been cut anew. */
  const pass = useRef<Flicks | null>(null)
  useEffect(() => {
    if (!playing) pass.current = null
  }, [playing])

  const choose = (angleId: string, reassign: boolean) => {
    const now = engine.now()
    if (reassign) {
      edit([{ type: 'reassign', cutId: cut.id, time: now, choice: { angleId } }], 'give another angle')
      return
    }
    const running = engine.getState().playing
    const pressed = flicks(Math.max(engine.event.start, Math.round(now - (running ? (lag / 1000) * FLICKS_PER_SECOND : 0))))
    // Standing, the place has been chosen already; running, the magnet takes the press to the beat it was meant for.
    const at =
      running && marks.length > 0
        ? flicks(Math.max(engine.event.start, pulled(pressed, marks, rate, settings.lead, settings.magnet)))
        : nearestFrameStart(pressed, rate)
    const since = running && pass.current !== null && pass.current < at ? pass.current : undefined
    // The picture changes with the key; the score follows when it has been drawn anew.
    if (running) engine.preview(angleId, flicks(Math.max(at, now + Math.round(PREVIEW_SECONDS * FLICKS_PER_SECOND))))
    if (edit([{ type: 'choose', cutId: cut.id, time: at, choice: { angleId }, ...(since !== undefined && { since }) }], 'cut') && running) pass.current = at
  }
  return {
    choose,
    snap: (t) => (t <= engine.event.start ? engine.event.start : pulled(t, near(marks, t, REACH), rate, settings.lead, settings.magnet)),
    roll: (from, to) => edit([{ type: 'roll', cutId: cut.id, time: from, to: flicks(Math.max(engine.event.start, to)) }], 'roll a cut'),
  }
}

/** The keys of Switch: angles, moving and joining cuts, going from cut to cut. */
export function useCuttingKeys({
  project,
  edit,
  cutting,
  zoom,
}: Pick<StageProps, 'project' | 'edit'> & { cutting: Cutting; zoom: (factor: number) => void }): void {
  const { doc } = project
  const rate = projectRate(doc.settings)
  const cut = activeCut(doc)
  const points = pointsOf(cut)
  const { message } = App.useApp()
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || belongsToFocus(event)) return
      const index = CODES.indexOf(event.code)
      const angle = anglesInUse(doc)[index]
      if (index < 0 || !angle) return
      event.preventDefault()
      cutting.choose(angle.id, event.shiftKey)
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  })
  const nearestPoint = (): Flicks | null => {
    const now = engine.now()
    const after = firstFrom(points.length, (i) => points[i].time, now)
    const around = [points[after - 1], points[after]].filter((p) => p !== undefined)
    return around.length === 0 ? null : around.reduce((a, b) => (Math.abs(b.time - now) < Math.abs(a.time - now) ? b : a)).time
  }
  const nudge = (frames: number) => {
    const at = nearestPoint()
    if (at !== null) cutting.roll(at, flicks(at + frames * frameStart(1, rate)))
  }
  const toBeat = (direction: 1 | -1) => {
    const at = nearestPoint()
    const beats = pulseOf(doc)?.beats ?? []
    if (at === null) return
    if (beats.length === 0) return void message.info('There are no beats yet; find them in Pulse')
    const next = direction > 0 ? beats.find((b) => nearestFrameStart(b, rate) > at) : beats.findLast((b) => nearestFrameStart(b, rate) < at)
    if (next !== undefined) cutting.roll(at, nearestFrameStart(next, rate))
  }
  const go = (index: number) => points[index] && engine.seek(points[index].time)
  const join = () => {
    const at = nearestPoint()
    if (at !== null) edit([{ type: 'join', cutId: cut.id, time: at }], 'join')
  }
  useKeys(
    'nudgeCut',
    () => nudge(-1),
    () => nudge(1),
  )
  useKeys(
    'cutToBeat',
    () => toBeat(-1),
    () => toBeat(1),
  )
  useKeys('join', join)
  useKeys(
    'nextCut',
    () => go(firstFrom(points.length, (i) => points[i].time, engine.now()) - 1),
    () => go(lastUpTo(points.length, (i) => points[i].time, engine.now()) + 1),
  )
  useKeys(
    'zoom',
    () => zoom(0.7),
    () => zoom(1 / 0.7),
  )
}
