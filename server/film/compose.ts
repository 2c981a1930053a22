import { darkOf, shareAt } from '@pendolo/core/film'
import type { Exchange, GivingSegment } from '@pendolo/core/formats'
import { BLACK_LUMA, blend, plainFrame, WHITE_LUMA } from '@pendolo/core/picture'
import { type Flicks, flicks, frameStart } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { cardFrame } from './card.ts'
import type { PictureSize } from './framing.ts'
import { Insets } from './insets.ts'
import { masterTimeAt } from './shots.ts'
import { FilmSources } from './sources.ts'
import { StillsOver } from './stills-over.ts'
import { Titles } from './titles.ts'

/** The pictures of a film, frame by frame: what the cut shows, what gives way to it, insets and titles over it, and the black at its ends. */
export class FilmPictures {
  readonly #exchange: Exchange
  readonly #size: PictureSize
  readonly #cut: FilmSources
  readonly #givings: FilmSources<GivingSegment>
  readonly #length: Flicks
  readonly #black: Uint8Array
  readonly #white: Uint8Array
  /** What is laid over each other in turn: the frame that is shown, and the next. */
  readonly #frames: readonly [Uint8Array, Uint8Array]
  #turn = 0
  readonly #titles: Titles
  readonly #stills: StillsOver
  readonly #insets: Insets

  /** @param scratch how names begin of files that are needed until the film is there */
  constructor(config: Config, exchange: Exchange, size: PictureSize, scratch: string) {
    this.#exchange = exchange
    this.#size = size
    this.#titles = new Titles(size)
    this.#stills = new StillsOver(config, size)
    this.#insets = new Insets(config, exchange, size, `${scratch}.inset`)
    this.#cut = new FilmSources(config, exchange, exchange.cut, size, scratch)
    this.#givings = new FilmSources(config, exchange, exchange.givings, size, `${scratch}.with`)
    this.#length = frameStart(exchange.toFrame - exchange.fromFrame, exchange.rate)
    this.#black = plainFrame(size.width, size.height, BLACK_LUMA)
    this.#white = plainFrame(size.width, size.height, WHITE_LUMA)
    this.#frames = [new Uint8Array(this.#black.length), new Uint8Array(this.#black.length)]
  }

  /** All frames in order. The memory of each is used again after the next but one is asked for. */
  async *frames(): AsyncGenerator<Uint8Array> {
    const { fromFrame, rate, fades } = this.#exchange
    const { layers } = this.#exchange
    const { shots } = this.#cut
    let giving = 0
    for (const [i, shot] of shots.entries()) {
      const empty = shot.source ? null : shot.text ? await cardFrame(shot.text, this.#size) : this.#black
      for (let k = 0; k < shot.frames; k++) {
        const frame = shot.fromFrame + k
        let picture: Uint8Array = empty ?? (await this.#cut.frame(i, k)) ?? this.#black
        const others = this.#givings.shots
        while (giving < others.length && others[giving].fromFrame + others[giving].frames <= frame) this.#givings.leave(giving++)
        if (giving < others.length && others[giving].fromFrame <= frame) picture = await this.#together(picture, giving, frame - others[giving].fromFrame)
        for (const one of layers.filter((l) => l.fromFrame <= frame && frame < l.fromFrame + l.frames)) {
          picture = this.#own(picture)
          const master = frameStart(one.masterFrame + frame - one.fromFrame, rate)
          if (one.layer.kind === 'title') await this.#titles.over(picture, one.layer, master)
          else if (one.layer.kind === 'still') await this.#stills.over(picture, one, master)
          else await this.#insets.over(picture, one.layer, frame)
        }
        const dark = darkOf(flicks(frameStart(frame, rate) - frameStart(fromFrame, rate)), this.#length, fades)
        yield dark > 0 ? this.#laid(picture, this.#black, dark) : picture
      }
      this.#cut.leave(i)
    }
  }

  /** A picture together with the one that it gives way to, or that gives way to it. */
  async #together(picture: Uint8Array, index: number, frame: number): Promise<Uint8Array> {
    const shot = this.#givings.shots[index]
    const share = shareAt(shot.passage, masterTimeAt({ rate: this.#exchange.rate }, { masterFrame: shot.masterFrame }, frame))
    const { kind } = shot.passage
    // What sinks is all gone where the other would be half there.
    if (kind !== 'dissolve') return this.#laid(picture, kind === 'dip' ? this.#black : this.#white, 2 * share)
    const other = shot.source ? await this.#givings.frame(index, frame) : null
    return this.#laid(picture, other ?? this.#black, share)
  }

  /** A picture in memory of our own, to be drawn over. */
  #own(picture: Uint8Array): Uint8Array {
    if (picture === this.#frames[this.#turn]) return picture
    this.#turn = 1 - this.#turn
    this.#frames[this.#turn].set(picture)
    return this.#frames[this.#turn]
  }

  #laid(under: Uint8Array, over: Uint8Array, share: number): Uint8Array {
    if (under !== this.#frames[this.#turn]) this.#turn = 1 - this.#turn
    const out = this.#frames[this.#turn]
    blend(under, over, share, out)
    return out
  }

  /** Ends all that reads, and takes away what was needed for it. */
  async close(): Promise<void> {
    await this.#cut.close()
    await this.#givings.close()
    await this.#insets.close()
  }
}
