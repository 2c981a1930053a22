import type { Rect } from '@pendolo/core/picture'
import { createContext, type ReactNode, useContext, useEffect, useId, useRef } from 'react'
import type { TileSource } from './types.ts'
import { engine } from './use-engine.ts'

const SurfaceKey = createContext('')

const pixelRatio = (element: Element) => element.ownerDocument.defaultView?.devicePixelRatio ?? 1

/** One canvas below its children, kept at its size in device pixels; `EnginePicture`s anywhere inside are drawn on it. Its parent is positioned. */
export function EngineSurface({ children }: { children: ReactNode }) {
  const key = useId()
  const ref = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const holder = ref.current
    if (!holder) return
    // A canvas can be given away once only, so each mounting makes its own.
    const canvas = holder.ownerDocument.createElement('canvas')
    holder.append(canvas)
    const surface = engine.surface(key, canvas)
    const resize = () => surface.resize(holder.clientWidth * pixelRatio(holder), holder.clientHeight * pixelRatio(holder))
    resize()
    const watch = new ResizeObserver(resize)
    watch.observe(holder)
    return () => {
      watch.disconnect()
      surface.detach()
      canvas.remove()
    }
  }, [key])
  return (
    <SurfaceKey value={key}>
      <div ref={ref} className="surface" data-surface={key} aria-hidden />
      {children}
    </SurfaceKey>
  )
}

interface PictureProps {
  readonly source: TileSource
  readonly name: string
  readonly label: string
  /** Where it is on its surface, in CSS pixels; absent: all of it. */
  readonly place?: Rect
}

/** What the engine draws on a place of the surface around it; by itself it is only the name of that place. */
export function EnginePicture({ source, name, label, place }: PictureProps) {
  const surface = useContext(SurfaceKey)
  const ref = useRef<HTMLDivElement>(null)
  const attached = useRef<ReturnType<typeof engine.attach> | null>(null)
  const latest = useRef({ source, place })
  latest.current = { source, place }
  useEffect(() => {
    const holder = ref.current
    if (!holder) return
    const at = engine.attach(name, surface, latest.current.source, inPixels(latest.current.place, pixelRatio(holder)))
    attached.current = at
    return at.detach
  }, [name, surface])
  const key = JSON.stringify(source)
  useEffect(() => attached.current?.show(JSON.parse(key) as TileSource), [key])
  const where = JSON.stringify(place ?? null)
  useEffect(() => {
    if (ref.current) attached.current?.place(inPixels((JSON.parse(where) as Rect | null) ?? undefined, pixelRatio(ref.current)))
  }, [where])
  return <div ref={ref} className="picture" role="img" aria-label={label} data-surface={surface} />
}

/** Edges on whole pixels, so that neighbours neither overlap nor blur. */
function inPixels(place: Rect | undefined, ratio: number): Rect | null {
  if (!place) return null
  const [x, y] = [Math.round(place.x * ratio), Math.round(place.y * ratio)]
  return { x, y, width: Math.max(1, Math.round((place.x + place.width) * ratio) - x), height: Math.max(1, Math.round((place.y + place.height) * ratio) - y) }
}

/** A picture on a canvas of its own. */
export function EngineCanvas(props: Omit<PictureProps, 'place'>) {
  return (
    <div className="picture" style={{ position: 'relative' }}>
      <EngineSurface>
        <EnginePicture {...props} />
      </EngineSurface>
    </div>
  )
}
