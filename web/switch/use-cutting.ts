import { type Choice, type Magnet, nearestIndex, nextPull, pointAt, pulled, roll } from '@pendolo/core/cut'
import { activeCut } from '@pendolo/core/film'
import { anglesInUse, marksOnMaster, type ProjectDoc, projectRate, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, firstFrom, flicks, frameAt, frameStart, lastUpTo, nearestFrameStart } from '@pendolo/core/time'
import { App } from 'antd'
import { useEffect, useMemo, useRef, useState } from 'react'
import { filmFor } from '../playback/film.ts'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { belongsToFocus } from '../ui/focus.ts'
import { ANGLE_KEYS } from '../ui/keymap.ts'
import { useTouchLag } from '../ui/touch-lag.ts'
import { useKeys } from '../ui/use-keys.ts'
import { useLivePass } from './use-pass.ts'

const CODES = ANGLE_KEYS.map((k) => (/\d/.test(k) ? `Digit${k}` : `Key${k.toUpperCase()}`))
/** So much before and behind a cut is played with it, s. */
const AROUND = 2
/** A dragged cut is pulled only by what is so near, s. */
const REACH = 0.18

/** Times that pull cuts to themselves, ascending. */
function pulling(doc: ProjectDoc, magnet: Magnet): readonly Flicks[] {
  const { beats = [], downbeats = [], hits = [] } = pulseOf(doc) ?? {}
  if (magnet === 'off') return []
  if (magnet === 'beat') return beats
  if (magnet === 'bar') return downbeats.map((i) => beats[i])
  if (magnet === 'hit') return hits
  const all = marksOnMaster(doc)
  return (magnet === 'phrase' ? all.filter((m) => m.kind === 'phrase') : all).map((m) => m.time)
}

/** The mark within `reach` seconds, if any. */
function near(marks: readonly Flicks[], time: Flicks, reach: number): readonly Flicks[] {
  const i = nearestIndex(marks, time)
  return i >= 0 && Math.abs(marks[i] - time) < reach * FLICKS_PER_SECOND ? [marks[i]] : []
}

/** The last press of a pass: where it landed, and how far that is from where it was meant by the clock alone. */
export interface LastPress {
  readonly angleId: string
  readonly at: Flicks
  readonly moved: number
  /** How long it was on its way, ms. */
  readonly late: number
}

export interface Cutting {
  /**
   * Shows an angle from here on, or gives it to the stretch under the playhead; a second time the angle's next take, or the one that is named.
   * @param late how long the press was on its way, ms: from a control page or a controller
   */
  readonly choose: (angleId: string, reassign: boolean, take?: string, late?: number) => void
  /** What a live pass holds now. */
  readonly held: Choice | null
  /** The angle that waits for its beat. */
  readonly waiting: string | null
  readonly last: LastPress | null
  /** Where a dragged cut lands. */
  readonly snap: (time: Flicks) => Flicks
  readonly roll: (from: Flicks, to: Flicks) => boolean
}

/** Cutting by presses: where they land. */
export function useCutting({ project, edit }: Pick<StageProps, 'project' | 'edit'>): Cutting {
  const { doc } = project
  const { settings } = doc
  const rate = projectRate(settings)
  const cut = activeCut(doc)
  const lag = useTouchLag()
  const { message } = App.useApp()
  const marks = useMemo(() => pulling(doc, settings.magnet), [doc, settings.magnet])
  const pass = useLivePass({ project, edit })
  const [last, setLast] = useState<LastPress | null>(null)

  /** The angle with the take that a press means: of an angle that is seen already the next one. */
  const choiceOf = (angleId: string, now: Flicks): Choice => {
    const film = filmFor(project)
    const takes = film.takesAt(angleId, now)
    if (takes.length < 2) return { angleId }
    const points = cut.points
    const ruling = pass.held ?? points[pointAt(points, now)]
    if (ruling?.angleId !== angleId) return { angleId }
    const seen = film.clipAt(angleId, now, ruling.clipId)?.clipId
    return { angleId, clipId: takes[(takes.indexOf(seen ?? '') + 1) % takes.length] }
  }
  /** Where a press while it plays lands. */
  const landing = (pressed: Flicks): Flicks => {
    const next = settings.waits && marks.length > 0 ? nextPull(pressed, marks, rate, settings.lead) : null
    if (next !== null) return next
    return marks.length > 0 ? pulled(pressed, marks, rate, settings.lead, settings.magnet) : nearestFrameStart(pressed, rate)
  }
  const choose = (angleId: string, reassign: boolean, take?: string, late = 0) => {
    const now = engine.now()
    const choice = take === undefined ? choiceOf(angleId, now) : { angleId, clipId: take }
    if (reassign) {
      const points = cut.points
      const stretch = points[pointAt(points, now)]
      if (stretch) edit([{ type: 'reassign', cutId: cut.id, times: [stretch.time], choice }], 'give another angle')
      else void message.info('There is no stretch here yet; press without Shift to cut')
      return
    }
    if (!engine.getState().playing) {
      // Standing, the place has been chosen already: the frame that is seen.
      const time = flicks(Math.max(engine.event.start, frameStart(frameAt(now, rate), rate)))
      // It is seen before the page has been drawn anew.
      engine.hold({ ...choice, until: null })
      pass.later.add(() => {
        if (!edit([{ type: 'choose', cutId: cut.id, time, choice }], 'cut')) engine.hold(null)
      })
      return
    }
    const pressed = flicks(Math.max(engine.event.start, Math.round(now - ((lag + late) / 1000) * FLICKS_PER_SECOND)))
    const at = flicks(Math.max(engine.event.start, landing(pressed)))
    pass.press(choice, at, settings.waits === true && marks.length > 0)
    pass.later.add(() => setLast({ angleId, at, moved: at - pressed, late }))
  }
  return {
    choose,
    held: pass.held,
    waiting: pass.waiting?.choice.angleId ?? null,
    last,
    snap: (t) => (t <= engine.event.start ? engine.event.start : pulled(t, near(marks, t, REACH), rate, settings.lead, settings.magnet)),
    roll: (from, to) => edit([{ type: 'roll', cutId: cut.id, times: [from], by: flicks(Math.max(engine.event.start, to) - from) }], 'roll a cut'),
  }
}

/** The keys of Switch: angles, moving and joining cuts, going from cut to cut. */
export function useCuttingKeys({
  project,
  edit,
  cutting,
  picked,
  onPick,
  zoom,
}: Pick<StageProps, 'project' | 'edit'> & {
  cutting: Cutting
  /** Cuts that are chosen; keys act on these, else on the nearest. */
  picked: readonly Flicks[]
  onPick: (times: readonly Flicks[]) => void
  zoom: (factor: number) => void
}): void {
  const { doc } = project
  const rate = projectRate(doc.settings)
  const cut = activeCut(doc)
  const points = cut.points
  const { message } = App.useApp()
  /** What a key does sees the project as it was drawn last, however soon it is pressed. */
  const pressed = useRef<(event: KeyboardEvent) => void>(() => undefined)
  pressed.current = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || belongsToFocus(event)) return
    const index = CODES.indexOf(event.code)
    const angle = anglesInUse(doc)[index]
    if (index < 0 || !angle) return
    event.preventDefault()
    if (event.shiftKey && picked.length > 0)
      edit([{ type: 'reassign', cutId: cut.id, times: [...picked], choice: { angleId: angle.id } }], 'give another angle')
    else cutting.choose(angle.id, event.shiftKey)
  }
  useEffect(() => {
    const press = (event: KeyboardEvent) => pressed.current(event)
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  }, [])
  const nearestPoint = (): Flicks | null => {
    const now = engine.now()
    const after = firstFrom(points.length, (i) => points[i].time, now)
    const around = [points[after - 1], points[after]].filter((p) => p !== undefined)
    return around.length === 0 ? null : around.reduce((a, b) => (Math.abs(b.time - now) < Math.abs(a.time - now) ? b : a)).time
  }
  const nudge = (frames: number) => {
    const by = flicks(frames * frameStart(1, rate))
    if (picked.length > 0) {
      const moved = roll(points, picked, by, frameStart(1, rate))
      const now = picked.map((t) => moved[pointAt(points, t)].time)
      if (edit([{ type: 'roll', cutId: cut.id, times: [...picked], by }], 'move cuts')) onPick(now)
      return
    }
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
    if (picked.length > 0) {
      if (edit([{ type: 'join', cutId: cut.id, times: [...picked] }], 'join cuts')) onPick([])
      return
    }
    const at = nearestPoint()
    if (at !== null) edit([{ type: 'join', cutId: cut.id, times: [at] }], 'join')
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
  useKeys('around', () => {
    const at = picked[0] ?? nearestPoint()
    const aside = AROUND * FLICKS_PER_SECOND
    if (at !== null) engine.playSection(flicks(Math.max(engine.event.start, at - aside)), flicks(at + aside), engine.now())
  })
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
