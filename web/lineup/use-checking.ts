import type { ProjectState } from '@pendolo/api'
import type { Clip } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, ZERO } from '@pendolo/core/time'
import { App } from 'antd'
import { useEffect, useRef, useState } from 'react'
import { engine, useEngine } from '../playback/use-engine.ts'
import { placeInClip } from './compare.tsx'
import { flamSounds } from './flam.ts'

/** The clips that are chosen, and how the last one is looked at and heard. */
export interface Checking {
  readonly several: readonly string[]
  readonly chosen: Clip | null
  /** How far its picture has been stepped from its place, flicks of master time. */
  readonly offset: Flicks
  readonly setOffset: (offset: Flicks) => void
  readonly choose: (id: string, more?: boolean) => void
  /** Whether it sounds together with the master. */
  readonly flam: boolean
  readonly toggleFlam: () => void
  /** Plays both sounds at its start, its middle and its end. */
  readonly tour: () => Promise<void>
}

/** @param clips those that may be chosen */
export function useChecking(project: ProjectState, clips: readonly Clip[]): Checking {
  const { doc, files } = project
  const { message } = App.useApp()
  const [chosenIds, setChosenIds] = useState<readonly string[]>([])
  const [offset, setOffset] = useState<Flicks>(ZERO)
  const [flam, setFlam] = useState(false)
  const playing = useEngine((s) => s.playing)
  const several = chosenIds.filter((id) => clips.some((c) => c.id === id))
  const chosenId = several[several.length - 1] ?? null
  const chosen: Clip | null = chosenId ? (doc.clips[chosenId] ?? null) : null
  const placement = chosen && doc.placements[chosen.id]
  // Which check is running: another gesture ends it.
  const touring = useRef(0)
  const tour = async () => {
    if (!chosen || !placement) return void message.info('Choose a placed clip first')
    const run = ++touring.current
    setFlam(true)
    for (const share of [0.02, 0.5, 0.98]) {
      const at = placeInClip(project, chosen, share, 2.2)
      engine.stop()
      engine.seek(at)
      await engine.play()
      await new Promise((resolve) => setTimeout(resolve, 2000))
      if (run !== touring.current) return
    }
    engine.stop()
    setFlam(false)
  }
  const toggleFlam = () => {
    if (!chosen || !placement) return void message.info('Choose a placed clip first')
    touring.current++
    setFlam(!flam)
    if (flam) engine.stop()
    else if (!playing) void engine.play()
  }
  // The check follows every nudge, and ends with the stage.
  useEffect(() => engine.listenTo(flam && chosenId ? flamSounds(project, chosenId) : null), [flam, chosenId, project])
  useEffect(() => () => engine.listenTo(null), [])
  const choose = (id: string, more = false) => {
    touring.current++
    setFlam(false)
    setOffset(ZERO)
    if (more) return setChosenIds(several.includes(id) ? several.filter((c) => c !== id) : [...several, id])
    setChosenIds([id])
    const at = doc.placements[id]
    const file = files.find((f) => f.id === doc.clips[id]?.fileId)
    if (!at || !file) return
    const length = file.facts.durationSeconds * FLICKS_PER_SECOND * at.rate
    const now = engine.now()
    // A clip is looked at where it is: the playhead goes to its middle unless it is inside already.
    if (now < at.start || now > at.start + length) engine.seek(flicks(Math.round(at.start + length / 2)))
  }
  return { several, chosen, offset, setOffset, choose, flam, toggleFlam, tour }
}
