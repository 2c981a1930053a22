import { type Choice, type Points, pointAt } from '@pendolo/core/cut'
import { activeCut } from '@pendolo/core/film'
import { projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, nearestFrameStart } from '@pendolo/core/time'
import { useEffect, useMemo, useRef, useState } from 'react'
import { useStep } from '../data/queries.ts'
import { undoFirst } from '../data/undo-scope.ts'
import { newId } from '../ids.ts'
import { AfterPicture } from '../playback/after-picture.ts'
import { filmFor } from '../playback/film.ts'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { comesBack, plainChoice } from './comes-back.ts'

const FOREVER = flicks(Number.MAX_SAFE_INTEGER)
/** The clock went elsewhere when it is so far from where playing leads, s. */
const ELSEWHERE = 0.5

interface Press {
  readonly at: Flicks
  readonly choice: Choice
  /** It is seen when its instant has come; else at once, though the beat it landed on may still be ahead. */
  readonly waits: boolean
}

/** A pass from its first press to the stop. */
interface Run {
  /** The step that all its edits belong to, and the number of its newest part: a press with what gave way after it. */
  readonly step: string
  part: number
  readonly cutId: string
  /** The cut as it was before. */
  readonly before: Points
  presses: Press[]
  /** Old cuts have given way up to here. */
  gave: Flicks
  /** Where the clock was last, and when, wall ms. */
  seen: { readonly time: Flicks; readonly wall: number }
}

export interface LivePass {
  /** A press while it plays, landing at an instant: from there on the choice holds until the next press or the stop. */
  readonly press: (choice: Choice, at: Flicks, waits: boolean) => void
  /** What is told of presses, behind their picture. */
  readonly later: AfterPicture
  /** What holds now; null outside of a pass. */
  readonly held: Choice | null
  /** A press that waits for its instant. */
  readonly waiting: Press | null
}

/** Where the clock left what it played: the end of the piece of the film, else where it was seen last. */
function leftAt({ seen: { time } }: Run, project: StageProps['project']): Flicks {
  if (engine.getState().along !== 'film') return time
  const piece = filmFor(project).runs.find((r) => r.from !== null && r.from <= time && time < r.from + r.length)
  return piece && piece.from !== null ? flicks(piece.from + piece.length) : time
}

/**
 * A live pass: cuts that stood before give way as the clock goes over them, what was pressed last holds over them, and at the
 * stop what stood there comes back. All of it is one step of undo; while it goes on, undo takes back the last press.
 */
export function useLivePass({ project, edit }: Pick<StageProps, 'project' | 'edit'>): LivePass {
  const run = useRef<Run | null>(null)
  const [held, setHeld] = useState<Choice | null>(null)
  const [waiting, setWaiting] = useState<Press | null>(null)
  const step = useStep(project.id)
  const latest = useRef({ project, edit, step })
  latest.current = { project, edit, step }

  const pass = useMemo(() => {
    const later = new AfterPicture()
    const send = (edits: Parameters<StageProps['edit']>[0]): boolean => {
      const going = run.current
      return going !== null && latest.current.edit(edits, 'live pass', `${going.step}:${going.part}`)
    }
    const points = (): Points => {
      const { doc } = latest.current.project
      return (doc.cuts.find((c) => c.id === run.current?.cutId) ?? activeCut(doc)).points
    }
    /** Holds what was pressed last, as soon as its instant has come. @returns tells the stage */
    const hold = (now: Flicks) => {
      const presses = run.current?.presses ?? []
      const last = presses.at(-1)
      const fallen = presses.findLast((p) => p.at <= now || !p.waits)
      const next = last && last !== fallen ? last : null
      engine.hold(fallen ? { ...plainChoice(fallen.choice), until: next ? next.at : FOREVER } : null)
      return () => {
        setWaiting((w) => (w?.at === next?.at && w?.choice === next?.choice ? w : next))
        setHeld(fallen?.choice ?? null)
      }
    }
    const close = () => {
      run.current = null
      setHeld(null)
      setWaiting(null)
      engine.hold(null)
    }
    /** What was pressed last holds up to an instant, and what stood there before comes back. */
    const endAt = (going: Run, at: Flicks) => {
      const to = nearestFrameStart(at, projectRate(latest.current.project.doc.settings))
      // What waited for an instant that did not come was not meant to be.
      const missed = going.presses.filter((p) => p.at >= to)
      for (const { at: time } of missed) if (points().some((p) => p.time === time)) send([{ type: 'join', cutId: going.cutId, times: [time] }])
      const last = going.presses.findLast((p) => p.at < to)
      if (!last) return
      const index = pointAt(going.before, to)
      const back = going.before[index]
      send([{ type: 'endPass', cutId: going.cutId, from: last.at, to, back: back ? plainChoice(back) : null }, ...comesBack(going, points(), index + 1)])
    }
    const press = (choice: Choice, at: Flicks, waits: boolean) => {
      later.now()
      const now = engine.now()
      const cutId = activeCut(latest.current.project.doc).id
      if (run.current && run.current.cutId !== cutId) finish()
      run.current ??= { step: newId(), part: 0, cutId, before: points(), presses: [], gave: now, seen: { time: now, wall: performance.now() } }
      const going = run.current
      const last = going.presses.at(-1)
      going.part++
      going.presses = [...going.presses.filter((p) => p.at < at), { at, choice, waits }]
      // The picture changes with the key; the score follows.
      later.add(hold(now))
      later.add(() => send([{ type: 'choose', cutId, time: at, choice, since: last?.at ?? at }]))
    }
    const finish = () => {
      later.now()
      const going = run.current
      if (!going) return
      endAt(going, engine.now())
      close()
    }
    const tick = () => {
      const going = run.current
      if (!going) return
      const { playing, speed } = engine.getState()
      if (!playing) return finish()
      if (later.waits) return
      const [now, wall] = [engine.now(), performance.now()]
      const expected = going.seen.time + ((wall - going.seen.wall) / 1000) * speed * FLICKS_PER_SECOND
      const last = going.presses.at(-1)
      if (last && Math.abs(now - expected) > ELSEWHERE * FLICKS_PER_SECOND) {
        // It went on elsewhere: what was left stays as a pass would leave it, and from here on the same is held.
        endAt(going, leftAt(going, latest.current.project))
        going.presses = []
        going.seen = { time: now, wall }
        return press(last.choice, nearestFrameStart(now, projectRate(latest.current.project.doc.settings)), false)
      }
      going.seen = { time: now, wall }
      hold(now)()
      const fallen = going.presses.findLast((p) => p.at <= now)
      if (!fallen || fallen !== last) return
      const next = points()[pointAt(points(), fallen.at) + 1]
      if (!next || next.time > now) return
      going.gave = flicks(Math.max(going.gave, now))
      send([{ type: 'giveWay', cutId: going.cutId, from: fallen.at, to: flicks(now + 1) }])
    }
    /** The last press is taken back, with what gave way to it. */
    const undo = (): boolean => {
      later.now()
      const going = run.current
      if (!going || going.presses.length === 0) return false
      going.presses = going.presses.slice(0, -1)
      latest.current.step('undo', 1, true)
      if (going.presses.length === 0) close()
      else hold(engine.now())()
      return true
    }
    return { press, tick, undo, finish, later }
  }, [])

  useEffect(() => engine.subscribe(pass.tick), [pass])
  useEffect(() => undoFirst(pass.undo), [pass])
  // Who leaves the stage stops the pass, not the music.
  useEffect(() => () => pass.finish(), [pass])
  return { press: pass.press, later: pass.later, held, waiting }
}
