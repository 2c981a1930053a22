import type { ProjectState } from '@pendolo/api'
import type { Look } from '@pendolo/core/picture'
import type { Flicks } from '@pendolo/core/time'
import { Button } from 'antd'
import { useLayoutEffect, useMemo, useRef } from 'react'
import { drawLooked } from './draw-looked.ts'
import { playClips } from './model.ts'
import { useEngine, useThumbs } from './use-engine.ts'

interface Props {
  readonly project: ProjectState
  /** The clip whose picture is picked from at an instant of the master; null where there is none. */
  readonly clipAt: (time: Flicks) => string | null
  /** How its picture is shown, and what is picked from. */
  readonly look: Look | null
  /** Where to click. */
  readonly children: string
  readonly onPick: (colour: string | null) => void
}

/** Pixels around the pointer whose colours are taken together. */
const AROUND = 2

/** A picture without what lies over it, to take a colour from. */
export function PickColour({ project, clipAt, look, children, onPick }: Props) {
  const ref = useRef<HTMLCanvasElement>(null)
  const time = useEngine((s) => s.time)
  const playing = useEngine((s) => s.playing)
  const [thumbs] = useThumbs()
  const clips = useMemo(() => playClips(project), [project])
  const clipId = clipAt(time)
  const clip = clips.find((c) => c.clipId === clipId && c.start <= time && time < c.end)
  useLayoutEffect(() => {
    const ctx = ref.current?.getContext('2d', { willReadFrequently: true })
    const picture = clip ? thumbs.at(clip, time) : null
    thumbs.ask(playing)
    if (ctx) drawLooked(ctx, picture, look)
  })
  const take = (x: number, y: number) => {
    const ctx = ref.current?.getContext('2d')
    if (!ctx) return
    const side = 2 * AROUND + 1
    const { data } = ctx.getImageData(Math.round(x) - AROUND, Math.round(y) - AROUND, side, side)
    const mean = [0, 1, 2].map((c) => Math.round(Array.from({ length: side * side }, (_, i) => data[4 * i + c]).reduce((a, b) => a + b, 0) / (side * side)))
    onPick(`#${mean.map((v) => v.toString(16).padStart(2, '0')).join('')}`)
  }
  return (
    <div className="pick-colour" role="dialog" aria-label="Take a colour from the picture">
      <canvas
        ref={ref}
        width={384}
        height={216}
        role="img"
        aria-label="The picture that is picked from"
        onPointerDown={(e) => {
          const box = e.currentTarget.getBoundingClientRect()
          take(((e.clientX - box.left) / box.width) * 384, ((e.clientY - box.top) / box.height) * 216)
        }}
      />
      <div className="line">
        <span className="quiet">{children}</span>
        <span className="spring" />
        <Button size="small" onClick={() => onPick(null)}>
          Leave
        </Button>
      </div>
    </div>
  )
}
