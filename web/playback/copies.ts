import { onCard } from './card.ts'
import { asPlanes, withoutGraphics } from './picture.ts'
import { FrameStream } from './stream.ts'
import type { PlayClip } from './types.ts'

/** Streams not looked at for this long are closed while it plays, ms. */
const IDLE = 4000

/** Light copies that are being decoded, each once, by their addresses. */
export class Copies {
  readonly #streams = new Map<string, { stream: FrameStream; used: number }>()
  readonly #come: () => void
  #plain = withoutGraphics()

  /** @param come is called when something has been decoded */
  constructor(come: () => void) {
    this.#come = come
  }

  /** What is opened from now on is drawn by the processor, or by a graphics card. */
  drawBy(by: 'card' | 'processor'): void {
    this.#plain = by === 'processor'
  }

  /** A clip's copy; null while there is none. */
  of(clip: PlayClip, sharp: boolean): FrameStream | null {
    const url = sharp ? clip.sharpUrl : clip.tileUrl
    return url ? this.from(url) : null
  }

  from(url: string): FrameStream {
    let entry = this.#streams.get(url)
    if (!entry) {
      entry = { stream: new FrameStream(url, this.#come, this.#plain ? asPlanes : onCard), used: 0 }
      this.#streams.set(url, entry)
    }
    entry.used = performance.now()
    return entry.stream
  }

  /** Closes all others. */
  keep(urls: ReadonlySet<string | null>): void {
    for (const url of this.#streams.keys()) if (!urls.has(url)) this.#close(url)
  }

  /** Closes what nobody has looked at for a while. */
  closeIdle(): void {
    const now = performance.now()
    for (const [url, { used }] of this.#streams) if (now - used > IDLE) this.#close(url)
  }

  #close(url: string): void {
    this.#streams.get(url)?.stream.close()
    this.#streams.delete(url)
  }
}
