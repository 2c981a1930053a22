import { rm, writeFile } from 'node:fs/promises'
import type { Exchange, Segment } from '@pendolo/core/formats'
import { isPlain, lookTable, tableText } from '@pendolo/core/picture'
import { type Flicks, frameStart, masterToClip } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { type PictureSource, pictureSource } from '../media/pictures.ts'
import { type ClipRange, PictureDecoder } from './decoder.ts'
import type { PictureSize, Seen } from './framing.ts'
import { StillDecoder } from './still.ts'

type Source = NonNullable<Segment['source']>
/** What shows a stretch: the pictures of a recording, or one that stands. */
type Pictures = Pick<PictureDecoder, 'shownAt' | 'close'>

/** A source that is wanted again within so many seconds of its own time goes on being read: that costs less than to begin anew. */
const KEPT_FLICKS = 2 * frameStart(1, { num: 1, den: 1 })
/** A source that goes on over more stretches than these hands on all its pictures. */
const MOST_RANGES = 200
/** Sources that are open at once, at most. */
const MOST_OPEN = 12

/** Clip time that is seen at the start of a frame of a stretch. */
export function clipTimeAt({ doc, rate }: Exchange, { masterFrame, source, stillAt }: Segment, frame: number): Flicks {
  return masterToClip(stillAt ?? frameStart((masterFrame as number) + frame, rate), doc.placements[(source as Source).clipId])
}

/** The originals that a film is made of, opened a stretch ahead, and kept open where they come again soon. */
export class FilmSources {
  readonly #config: Config
  readonly #exchange: Exchange
  readonly #size: PictureSize
  /** By the stretch that uses it next. */
  readonly #open = new Map<number, Promise<Pictures>>()
  readonly #all = new Set<Pictures>()
  readonly #looked = new Map<string, Promise<PictureSource>>()
  readonly #scratch: string
  /** Files of colour tables by their looks. */
  readonly #tables = new Map<string, Promise<string>>()
  #closed = false

  /** @param scratch how names begin of files that are needed until the film is there */
  constructor(config: Config, exchange: Exchange, size: PictureSize, scratch: string) {
    this.#config = config
    this.#scratch = scratch
    this.#exchange = exchange
    this.#size = size
  }

  /** What shows a stretch; the stretch that follows is got ready meanwhile. @returns null where nothing of an original is seen */
  async take(index: number): Promise<Pictures | null> {
    this.#ready(index)
    this.#ready(index + 1)
    return (await this.#open.get(index)) ?? null
  }

  /** A stretch is over: its source is kept for the stretch that goes on with it, or closed. */
  leave(index: number): void {
    const held = this.#open.get(index)
    if (!held) return
    this.#open.delete(index)
    const next = this.#nextUse(index)
    if (next !== null && !this.#open.has(next) && this.#open.size < MOST_OPEN) this.#open.set(next, held)
    else void this.#let(held)
  }

  async #let(held: Promise<Pictures>): Promise<void> {
    const decoder = await held.catch(() => null)
    if (!decoder) return
    this.#all.delete(decoder)
    decoder.close()
  }

  /** The stretch that shows the same clip soon after this one ended; null where there is none. */
  #nextUse(index: number): number | null {
    const { cut } = this.#exchange
    const { source, frames } = cut[index]
    if (!source) return null
    const end = clipTimeAt(this.#exchange, cut[index], frames - 1)
    let waits = 0
    for (let i = index + 1; i < cut.length && waits <= KEPT_FLICKS; i++) {
      if (cut[i].source?.clipId === source.clipId) {
        const gap = clipTimeAt(this.#exchange, cut[i], 0) - end
        return gap > 0 && gap <= KEPT_FLICKS ? i : null
      }
      waits += frameStart(cut[i].frames, this.#exchange.rate)
    }
    return null
  }

  /** What will be asked for of a source that is opened for a stretch, in this and in those that go on with it. */
  #uses(index: number): ClipRange[] {
    const out: ClipRange[] = []
    for (let i: number | null = index; i !== null; i = this.#nextUse(i)) {
      const segment: Segment = this.#exchange.cut[i]
      // What comes after so many is not looked ahead for.
      if (out.length === MOST_RANGES) return [{ from: out[0].from, to: out[0].to }]
      out.push({ from: clipTimeAt(this.#exchange, segment, 0), to: clipTimeAt(this.#exchange, segment, segment.frames - 1) })
    }
    return out
  }

  #ready(index: number): void {
    const segment = this.#exchange.cut[index]
    if (!segment?.source || this.#open.has(index)) return
    const opening = this.#begin(index, segment.source)
    // Whoever takes it is told.
    opening.catch(() => undefined)
    this.#open.set(index, opening)
  }

  async #begin(index: number, { file, clipId }: Source): Promise<Pictures> {
    const { doc } = this.#exchange
    let looked = this.#looked.get(file.path)
    if (!looked) {
      looked = pictureSource(this.#config, file.path)
      this.#looked.set(file.path, looked)
    }
    const seen = await this.#seen(doc.clips[clipId].angleId)
    const source = await looked
    const decoder = file.facts.video?.still
      ? new StillDecoder(this.#config, file, source, this.#size, seen)
      : new PictureDecoder(this.#config, file, source, this.#uses(index), this.#size, seen)
    this.#all.add(decoder)
    if (this.#closed) decoder.close()
    return decoder
  }

  /** How an angle's pictures come into the film; the table of its look is written once. */
  async #seen(angleId: string | null): Promise<Seen> {
    const { framing = 'fit', look } = this.#exchange.doc.angles.find((a) => a.id === angleId) ?? {}
    if (!look || isPlain(look)) return { framing, table: null }
    const text = JSON.stringify(look)
    let written = this.#tables.get(text)
    if (!written) {
      const file = `${this.#scratch}.look-${this.#tables.size}.cube`
      written = writeFile(file, tableText(lookTable(look))).then(() => file)
      this.#tables.set(text, written)
    }
    return { framing, table: await written }
  }

  /** Ends all that reads, and takes away what was needed for it. */
  async close(): Promise<void> {
    this.#closed = true
    for (const decoder of this.#all) decoder.close()
    for (const written of this.#tables.values()) await written.then((file) => rm(file, { force: true })).catch(() => undefined)
  }
}
