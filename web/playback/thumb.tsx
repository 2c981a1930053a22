import type { Flicks } from '@pendolo/core/time'
import { useLayoutEffect, useRef } from 'react'
import type { PlayClip } from './types.ts'
import { useEngine, useThumbs } from './use-engine.ts'

/** A small picture of a clip at an instant of the master; black without one. */
export function Thumb({ clip, time, label }: { clip: PlayClip | null; time: Flicks; label: string }) {
  const ref = useRef<HTMLCanvasElement>(null)
  const [thumbs] = useThumbs()
  const playing = useEngine((s) => s.playing)
  useLayoutEffect(() => {
    const ctx = ref.current?.getContext('2d')
    if (!ctx) return
    const { width, height } = ctx.canvas
    ctx.fillStyle = '#000'
    ctx.fillRect(0, 0, width, height)
    const picture = clip && thumbs.at(clip, time)
    thumbs.ask(playing)
    if (!picture) return
    const share = Math.min(width / picture.width, height / picture.height)
    const [w, h] = [picture.width * share, picture.height * share]
    ctx.drawImage(picture, (width - w) / 2, (height - h) / 2, w, h)
  })
  return <canvas ref={ref} width={192} height={108} className="thumb" role="img" aria-label={label} />
}
