import { rm, writeFile } from 'node:fs/promises'
import type { Exchange, Segment } from '@pendolo/core/formats'
import {
  blend,
  type Cutout,
  darkenPlanes,
  keepsColours,
  type Look,
  lookTable,
  sharpenPlanes,
  tableText,
  type Vignette,
  vignetteMask,
} from '@pendolo/core/picture'
import { frameStart } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { type PictureSource, pictureSource } from '../media/pictures.ts'
import { readTable } from '../media/tables.ts'
import { type ClipRange, PictureDecoder } from './decoder.ts'
import { type PictureSize, placeWork, type Seen, workOf } from './framing.ts'
import { clipTimeAt, cutoutsOf, type Shot, shotsOf } from './shots.ts'
import { StillDecoder } from './still.ts'

type Source = NonNullable<Segment['source']>
/** What shows a shot: the pictures of a recording, or one that stands. */
type Pictures = Pick<PictureDecoder, 'shownAt' | 'following' | 'close'>

/** A shot's source, and where its pictures come in the frame. */
interface Opened {
  readonly pictures: Pictures
  readonly seen: Seen
}

/** A source that is wanted again within so many seconds of its own time goes on being read: that costs less than to begin anew. */
const KEPT_FLICKS = 2 * frameStart(1, { num: 1, den: 1 })
/** A source that goes on over more stretches than these hands on all its pictures. */
const MOST_RANGES = 200
/** Sources that are open at once, at most. */
const MOST_OPEN = 12

/** The originals that a film is made of, opened a stretch ahead, and kept open where they come again soon. */
export class FilmSources<T extends Segment = Segment> {
  readonly #config: Config
  readonly #exchange: Exchange
  readonly #size: PictureSize
  /** What the film shows, one after the other. */
  readonly shots: readonly Shot<T>[]
  /** By the shot that uses it next. */
  readonly #open = new Map<number, Promise<Opened>>()
  readonly #all = new Set<Pictures>()
  readonly #looked = new Map<string, Promise<PictureSource>>()
  readonly #scratch: string
  /** Files of colour tables by their looks. */
  readonly #tables = new Map<string, Promise<string>>()
  /** Frames in turn, for pictures that are brought into them: the one that is shown, and the next. */
  readonly #frames: Buffer[] = []
  #turn = 0
  /** By what vignettes are, how much they leave of each pixel. */
  readonly #masks = new Map<string, Uint8Array>()
  #closed = false

  /**
   * @param segments what is shown one after the other
   * @param scratch how names begin of files that are needed until the film is there
   * @param small pictures fill a small frame, however they are framed in a large one
   */
  constructor(config: Config, exchange: Exchange, segments: readonly T[], size: PictureSize, scratch: string, small = false) {
    this.#config = config
    this.#scratch = scratch
    this.#exchange = exchange
    this.#size = size
    const shots = shotsOf(exchange, segments)
    this.shots = small ? shots.map((s) => ({ ...s, sight: s.sight && { ...s.sight, framing: 'fill', cutout: null, cutoutTo: null } })) : shots
  }

  /**
   * A frame of a shot; the shot that follows is got ready meanwhile. Its memory is used again after the next but one is asked for.
   * @returns null where nothing of an original is seen
   */
  async frame(index: number, frame: number): Promise<Buffer | null> {
    this.#ready(index)
    this.#ready(index + 1)
    const opened = await this.#open.get(index)
    if (!opened) return null
    const { pictures, seen } = opened
    const shot = this.shots[index]
    const time = clipTimeAt(this.#exchange, shot, frame)
    const alone = await pictures.shownAt(time)
    const data = shot.sight?.paced?.pace.blends ? this.#mixed(alone, pictures.following(time)) : alone
    const { work } = seen
    const { vignette, sharpness } = shot.sight?.look ?? {}
    if (!work && !vignette && !sharpness) return data
    const out = this.#frame()
    if (work) {
      const cutouts = this.#cutouts(index) as readonly Cutout[]
      placeWork(data, work, ownSize(shot), this.#size, seen.framing, cutouts[Math.min(frame, cutouts.length - 1)], out)
    }
    if (sharpness) sharpenPlanes({ data: work ? out : data, ...this.#size }, sharpness, out)
    if (vignette) darkenPlanes({ data: work || sharpness ? out : data, ...this.#size }, this.#mask(vignette), out)
    return out
  }

  /** Pictures that give way to each other, in turn as {@link #frames}, in the size in which they come from their source. */
  readonly #between: Buffer[] = []

  /** A picture that gives way to the one that follows it. */
  #mixed(alone: Buffer, following: { readonly data: Buffer; readonly share: number } | null): Buffer {
    if (!following) return alone
    const [last, own] = this.#between
    this.#between[0] = own?.length === alone.length ? own : Buffer.allocUnsafeSlow(alone.length)
    if (last) this.#between[1] = last
    blend(alone, following.data, following.share, this.#between[0])
    return this.#between[0]
  }

  /** Memory for a frame of ours, other than the last one's. */
  #frame(): Buffer {
    this.#turn = 1 - this.#turn
    this.#frames[this.#turn] ??= Buffer.allocUnsafeSlow((this.#size.width * this.#size.height * 3) / 2)
    return this.#frames[this.#turn]
  }

  #mask(vignette: Vignette): Uint8Array {
    const key = JSON.stringify(vignette)
    let mask = this.#masks.get(key)
    if (!mask) {
      mask = vignetteMask(this.#size.width, this.#size.height, vignette)
      this.#masks.set(key, mask)
    }
    return mask
  }

  /** Framings of the shot that was asked for last, which is mostly asked for again. */
  #framed: { readonly index: number; readonly cutouts: readonly Cutout[] | null } = { index: -1, cutouts: null }

  #cutouts(index: number): readonly Cutout[] | null {
    if (this.#framed.index !== index) this.#framed = { index, cutouts: cutoutsOf(this.#exchange, this.shots[index]) }
    return this.#framed.cutouts
  }

  /** A shot is over: its source is kept for the shot that goes on with it, or closed. */
  leave(index: number): void {
    const held = this.#open.get(index)
    if (!held) return
    this.#open.delete(index)
    const next = this.#nextUse(index)
    if (next !== null && !this.#open.has(next) && this.#open.size < MOST_OPEN) this.#open.set(next, held)
    else void this.#let(held)
  }

  async #let(held: Promise<Opened>): Promise<void> {
    const opened = await held.catch(() => null)
    if (!opened) return
    this.#all.delete(opened.pictures)
    opened.pictures.close()
  }

  /** The shot that goes on with the same clip, seen in the same way, soon after this one ended; null where there is none. */
  #nextUse(index: number): number | null {
    const { shots } = this
    const { source, frames } = shots[index]
    if (!source) return null
    const end = clipTimeAt(this.#exchange, shots[index], frames - 1)
    let waits = 0
    for (let i = index + 1; i < shots.length && waits <= KEPT_FLICKS; i++) {
      if (shots[i].source?.clipId === source.clipId) {
        const gap = clipTimeAt(this.#exchange, shots[i], 0) - end
        return gap > 0 && gap <= KEPT_FLICKS && sameWay(shots[index], shots[i]) ? i : null
      }
      waits += frameStart(shots[i].frames, this.#exchange.rate)
    }
    return null
  }

  /** What will be asked for of a source that is opened for a shot, in this and in those that go on with it. */
  #uses(index: number): ClipRange[] {
    const out: ClipRange[] = []
    for (let i: number | null = index; i !== null; i = this.#nextUse(i)) {
      const shot: Shot = this.shots[i]
      // What comes after so many is not looked ahead for.
      if (out.length === MOST_RANGES) return [{ from: out[0].from, to: out[0].to }]
      out.push({ from: clipTimeAt(this.#exchange, shot, 0), to: clipTimeAt(this.#exchange, shot, shot.frames - 1) })
    }
    return out
  }

  #ready(index: number): void {
    const shot = this.shots[index]
    if (!shot?.source || this.#open.has(index)) return
    const opening = this.#begin(index, shot, shot.source)
    // Whoever takes it is told.
    opening.catch(() => undefined)
    this.#open.set(index, opening)
  }

  async #begin(index: number, shot: Shot, { pictures: file }: Source): Promise<Opened> {
    let looked = this.#looked.get(file.path)
    if (!looked) {
      looked = pictureSource(this.#config, file.path)
      this.#looked.set(file.path, looked)
    }
    const { framing = 'fit', look = null } = shot.sight ?? {}
    const cutouts = cutoutsOf(this.#exchange, shot)
    const work = cutouts && workOf(ownSize(shot), this.#size, framing, cutouts)
    const seen: Seen = { framing, table: look && !keepsColours(look) ? await this.#table(look) : null, work }
    const source = await looked
    const pictures = file.facts.video?.still
      ? new StillDecoder(this.#config, file, source, this.#size, seen)
      : new PictureDecoder(this.#config, file, source, this.#uses(index), this.#size, seen)
    this.#all.add(pictures)
    if (this.#closed) pictures.close()
    return { pictures, seen }
  }

  /** The file of the table of a look, written once. */
  #table(look: Look): Promise<string> {
    const text = JSON.stringify(look)
    let written = this.#tables.get(text)
    if (!written) {
      const file = `${this.#scratch}.look-${this.#tables.size}.cube`
      written = (look.input ? readTable(this.#config, look.input) : Promise.resolve(null)).then(async (input) => {
        await writeFile(file, tableText(lookTable(look, input)))
        return file
      })
      this.#tables.set(text, written)
    }
    return written
  }

  /** Ends all that reads, and takes away what was needed for it. */
  async close(): Promise<void> {
    this.#closed = true
    for (const decoder of this.#all) decoder.close()
    for (const written of this.#tables.values()) await written.then((file) => rm(file, { force: true })).catch(() => undefined)
  }
}

/** Size of a shot's pictures as displayed. */
function ownSize({ source }: Shot): PictureSize {
  const { width = 0, height = 0 } = source?.pictures.facts.video ?? {}
  return { width, height }
}

/** Whether pictures that were opened for one shot serve the other. */
function sameWay({ sight: a }: Shot, { sight: b }: Shot): boolean {
  if (a?.cutoutTo || b?.cutoutTo || a?.paced || b?.paced) return false
  return JSON.stringify([a?.framing, a?.cutout, a?.look]) === JSON.stringify([b?.framing, b?.cutout, b?.look])
}
