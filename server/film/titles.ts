import { placeOf, titleAt } from '@pendolo/core/film'
import { drawTitle, layOver, titleBlock, USUAL_TITLE } from '@pendolo/core/picture'
import type { Layer } from '@pendolo/core/project'
import type { Flicks } from '@pendolo/core/time'
import { drawingGround } from './card.ts'
import type { PictureSize } from './framing.ts'

interface Drawing {
  readonly data: Uint8ClampedArray
  readonly width: number
  readonly height: number
}

/** The titles of a film, each drawn once. */
export class Titles {
  readonly #size: PictureSize
  readonly #drawn = new Map<Layer, Promise<Drawing>>()

  constructor(size: PictureSize) {
    this.#size = size
  }

  /** Lays a title over a frame, as it is at an instant of the master. */
  async over(frame: Uint8Array, layer: Layer, master: Flicks): Promise<void> {
    let drawn = this.#drawn.get(layer)
    if (!drawn) {
      drawn = this.#draw(layer)
      this.#drawn.set(layer, drawn)
    }
    const { data, width, height } = await drawn
    const { share, left, top, clip } = titleAt(layer, master, this.#size, height)
    layOver({ data: frame, ...this.#size }, data, width, height, left, top, share, clip)
  }

  async #draw({ text = '', title = USUAL_TITLE, place }: Layer): Promise<Drawing> {
    const { width, height } = placeOf(place, this.#size)
    const measured = titleBlock(await drawingGround(1, 1), text, title, width, this.#size.height)
    const tall = title.rolls ? measured.height : height
    const ink = await drawingGround(width, tall)
    drawTitle(ink, measured, title, width, tall)
    return { data: ink.getImageData(0, 0, width, tall).data, width, height: tall }
  }
}
