import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import { copySeconds } from './copy-seconds.ts'
import type { FromThumbs, PlayClip, ThumbWish, ToThumbs } from './types.ts'

/** Small pictures that are kept, about 25 kB each. */
const MOST = 800
/** Views hear of new ones this often, ms. */
const TELL_EVERY = 120

/** What one view wishes to see. */
export interface ThumbView {
  /** The picture of a clip at an instant of the master, if it is there; else it is wished for at the next `ask`. */
  readonly at: (clip: Pick<PlayClip, 'tileUrl' | 'map' | 'grid' | 'pace'>, time: Flicks) => ImageBitmap | null
  /**
   * What was missing since the last time is made; what this view wished for before and did not ask for again is forgotten.
   * @param busy the machine has other pictures to decode: nothing is made now
   * @returns how many were missing
   */
  readonly ask: (busy: boolean) => number
  /** The view is gone. */
  readonly close: () => void
}

/** Small pictures of light copies: asked for while something is drawn, told when they have come. */
export class Thumbnails {
  #worker: Worker | null = null
  /** What was used last stands last; null where there is none. */
  readonly #kept = new Map<string, ImageBitmap | null>()
  /** By view; all views share one worker. */
  readonly #wishes = new Map<ThumbView, readonly ThumbWish[]>()
  #telling: ReturnType<typeof setTimeout> | null = null
  #revision = 0
  readonly #listeners = new Set<() => void>()
  readonly #make: () => Worker

  constructor(make: () => Worker) {
    this.#make = make
  }

  view(): ThumbView {
    let missing: ThumbWish[] = []
    const set = (wishes: readonly ThumbWish[]) => {
      if (wishes.length === 0 && !this.#wishes.has(view)) return
      if (wishes.length === 0) this.#wishes.delete(view)
      else this.#wishes.set(view, wishes)
      this.#worker ??= this.#start()
      this.#worker.postMessage({ wishes: [...this.#wishes.values()].flat() } satisfies ToThumbs)
    }
    const view: ThumbView = {
      at: (clip, time) => {
        if (!clip.tileUrl) return null
        const seconds = copySeconds(clip, time)
        const key = `${clip.tileUrl} ${seconds.toFixed(3)}`
        const kept = this.#kept.get(key)
        if (kept === undefined) {
          missing.push({ key, url: clip.tileUrl, seconds })
          return null
        }
        this.#kept.delete(key)
        this.#kept.set(key, kept)
        return kept
      },
      ask: (busy) => {
        const { length } = missing
        set(busy ? [] : missing)
        missing = []
        return length
      },
      close: () => set([]),
    }
    return view
  }

  #start(): Worker {
    const worker = this.#make()
    worker.onmessage = ({ data: { key, picture } }: MessageEvent<FromThumbs>) => {
      this.#kept.get(key)?.close()
      this.#kept.set(key, picture)
      for (const [old, kept] of this.#kept) {
        if (this.#kept.size <= MOST) break
        kept?.close()
        this.#kept.delete(old)
      }
      this.#telling ??= setTimeout(() => {
        this.#telling = null
        this.#revision++
        for (const listener of this.#listeners) listener()
      }, TELL_EVERY)
    }
    return worker
  }

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  /** Rises with what has come. */
  revision = (): number => this.#revision
}

/** Where pictures of lanes stand: at multiples of a power of two of a second, no nearer than `least` seconds. */
export function thumbTimes(from: number, to: number, least: number): Flicks[] {
  const step = 2 ** Math.ceil(Math.log2(least))
  const out: Flicks[] = []
  for (let n = Math.ceil(from / step); n * step < to; n++) out.push(flicks(Math.round(n * step * FLICKS_PER_SECOND)))
  return out
}
