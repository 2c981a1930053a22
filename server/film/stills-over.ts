import { stillPlaceAt } from '@pendolo/core/film'
import type { Exchange } from '@pendolo/core/formats'
import { layOver } from '@pendolo/core/picture'
import type { Flicks } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { readDrawing } from '../media/drawings.ts'
import { drawingGround } from './card.ts'
import type { PictureSize } from './framing.ts'

type StillLayer = Exchange['layers'][number]
/** Something to draw from. */
type Image = Awaited<ReturnType<typeof drawingGround>>['canvas']

interface Placed {
  readonly key: string
  readonly data: Uint8ClampedArray
  readonly left: number
  readonly top: number
  readonly width: number
  readonly height: number
}

/** Stills that lie over a film's pictures; each is read once, and drawn anew only while it moves. */
export class StillsOver {
  readonly #config: Config
  readonly #size: PictureSize
  readonly #images = new Map<string, Promise<Image>>()
  readonly #placed = new Map<string, Placed>()

  constructor(config: Config, size: PictureSize) {
    this.#config = config
    this.#size = size
  }

  /** Lays a still over a frame, as it is at an instant of the master. */
  async over(frame: Uint8Array, { layer, file }: Pick<StillLayer, 'layer' | 'file'>, master: Flicks): Promise<void> {
    if (!file) return
    let opening = this.#images.get(file.id)
    if (!opening) {
      opening = this.#open(file)
      this.#images.set(file.id, opening)
    }
    const image = await opening
    const place = stillPlaceAt(layer, master, this.#size, image)
    const key = [place.x, place.y, place.width, place.height].join(' ')
    let placed = this.#placed.get(layer.id)
    if (placed?.key !== key) {
      placed = await this.#draw(image, place, key)
      this.#placed.set(layer.id, placed)
    }
    const { data, width, height, left, top } = placed
    layOver({ data: frame, ...this.#size }, data, width, height, left, top, place.share, { x: 0, y: 0, ...this.#size })
  }

  async #open(file: NonNullable<StillLayer['file']>): Promise<Image> {
    const { data, width, height } = await readDrawing(this.#config, file)
    const ink = await drawingGround(width, height)
    const pixels = ink.createImageData(width, height)
    pixels.data.set(data)
    ink.putImageData(pixels, 0, 0)
    return ink.canvas
  }

  /** Draws what of it lies within the frame. */
  async #draw(image: Image, { x, y, width, height }: { x: number; y: number; width: number; height: number }, key: string): Promise<Placed> {
    const [left, top] = [Math.max(0, Math.floor(x)), Math.max(0, Math.floor(y))]
    const [right, bottom] = [Math.min(this.#size.width, Math.ceil(x + width)), Math.min(this.#size.height, Math.ceil(y + height))]
    const [w, h] = [Math.max(1, right - left), Math.max(1, bottom - top)]
    const ink = await drawingGround(w, h)
    ink.imageSmoothingQuality = 'high'
    ink.drawImage(image, x - left, y - top, width, height)
    return { key, data: ink.getImageData(0, 0, w, h).data, left, top, width: w, height: h }
  }
}
