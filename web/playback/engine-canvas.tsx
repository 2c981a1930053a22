import { useEffect, useRef } from 'react'
import type { TileSource } from './types.ts'
import { engine } from './use-engine.ts'

/** A canvas the engine draws on, kept at its size in device pixels. */
export function EngineCanvas({ source, name, label }: { source: TileSource; name?: string; label: string }) {
  const ref = useRef<HTMLDivElement>(null)
  const attached = useRef<ReturnType<typeof engine.attach> | null>(null)
  const first = useRef(source)
  useEffect(() => {
    const holder = ref.current
    if (!holder) return
    // A canvas can be given away once only, so each mounting makes its own.
    const { ownerDocument } = holder
    const canvas = ownerDocument.createElement('canvas')
    canvas.setAttribute('role', 'img')
    canvas.setAttribute('aria-label', label)
    holder.append(canvas)
    const at = engine.attach(canvas, first.current, name)
    attached.current = at
    const ratio = () => ownerDocument.defaultView?.devicePixelRatio ?? 1
    const resize = () => at.resize(holder.clientWidth * ratio(), holder.clientHeight * ratio())
    resize()
    const watch = new ResizeObserver(resize)
    watch.observe(holder)
    return () => {
      watch.disconnect()
      at.detach()
      canvas.remove()
    }
  }, [name, label])
  const key = JSON.stringify(source)
  useEffect(() => attached.current?.show(JSON.parse(key) as TileSource), [key])
  return <div ref={ref} style={{ width: '100%', height: '100%' }} />
}
