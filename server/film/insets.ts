import { layerAt, placeOf } from '@pendolo/core/film'
import type { Exchange, InsetSegment } from '@pendolo/core/formats'
import { blend, type EdgeDrawing, edgeDrawing, keyPlanes, layOver, layPlanesOver, roundMask, SQUARE_EDGE, USUAL_KEY } from '@pendolo/core/picture'
import type { Layer } from '@pendolo/core/project'
import { frameStart } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import type { PictureSize } from './framing.ts'
import { FilmSources } from './sources.ts'

interface Inset {
  readonly sources: FilmSources<InsetSegment>
  readonly place: { readonly x: number; readonly y: number; readonly width: number; readonly height: number }
  readonly mask: Uint8Array | null
  readonly edge: EdgeDrawing | null
  /** The shot that is shown next. */
  next: number
}

const even = (x: number) => 2 * Math.round(x / 2)

/** Other angles that are seen small over a film's pictures, or behind them. */
export class Insets {
  readonly #exchange: Exchange
  readonly #size: PictureSize
  readonly #byLayer = new Map<string, Inset>()

  /** @param scratch how names begin of files that are needed until the film is there */
  constructor(config: Config, exchange: Exchange, size: PictureSize, scratch: string) {
    this.#exchange = exchange
    this.#size = size
    const layers = new Map(exchange.insets.map((s) => [s.layer.id, s.layer]))
    for (const [id, { kind, place, edge = SQUARE_EDGE }] of layers) {
      const segments = exchange.insets.filter((s) => s.layer.id === id)
      const begins = `${scratch}-${this.#byLayer.size}`
      if (kind === 'background') {
        const sources = new FilmSources(config, exchange, segments, size, begins)
        this.#byLayer.set(id, { sources, place: { x: 0, y: 0, ...size }, mask: null, edge: null, next: 0 })
        continue
      }
      const { x, y, width: w, height: h } = placeOf(place, size)
      // Colour is kept for two pixels together: it lies on whole pairs.
      const [width, height] = [Math.max(2, even(w)), Math.max(2, even(h))]
      this.#byLayer.set(id, {
        sources: new FilmSources(config, exchange, segments, { width, height }, begins, true),
        place: { x: even(x), y: even(y), width, height },
        mask: edge.round > 0 ? roundMask(width, height, edge.round * Math.min(width, height)) : null,
        edge: edgeDrawing(width, height, edge, size.height),
        next: 0,
      })
    }
  }

  /** Lays an inset over a frame of the film, counted as the tracks are, or a background behind it. */
  async over(frame: Uint8Array, layer: Layer, at: number): Promise<void> {
    const inset = this.#byLayer.get(layer.id)
    if (!inset) return
    const { sources, place, mask, edge } = inset
    const { shots } = sources
    while (inset.next < shots.length && shots[inset.next].fromFrame + shots[inset.next].frames <= at) sources.leave(inset.next++)
    const shot = shots[inset.next]
    if (!shot || shot.fromFrame > at || shot.masterFrame === null) return
    const picture = await sources.frame(inset.next, at - shot.fromFrame)
    if (!picture) return
    const to = { data: frame, ...this.#size }
    const { share } = layerAt(layer, frameStart(shot.masterFrame + at - shot.fromFrame, this.#exchange.rate))
    if (layer.kind === 'background') {
      const before = share < 1 ? frame.slice() : null
      keyPlanes(layer.key ?? USUAL_KEY, to, picture)
      if (before) blend(before, frame, share, frame)
      return
    }
    const { x, y, width, height } = place
    if (edge) layOver(to, edge.data, edge.width, edge.height, x - edge.around, y - edge.around, share, { x: 0, y: 0, ...this.#size })
    layPlanesOver(to, { data: picture, width, height }, x, y, mask, share)
  }

  async close(): Promise<void> {
    for (const { sources } of this.#byLayer.values()) await sources.close()
  }
}
