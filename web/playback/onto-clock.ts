import { interpolate } from '@pendolo/core/signal'

/** Frames on both sides of a place that its interpolation reads. */
const MARGIN = 17

/** A piece of sound on the audio clock. */
export interface Piece {
  readonly channels: Float32Array<ArrayBuffer>[]
  /** Frame of the audio clock at which it begins. */
  readonly frame: number
}

/**
 * Brings the sound of a clip whose clock runs otherwise onto the frames of the audio clock, as films do it, so that both
 * sound alike. It is behind by what interpolation reads ahead; `end` gives the rest.
 */
export class OntoClock {
  readonly #rate: number
  #held: Float32Array[] = []
  /** Frame of the audio clock, not whole, at which the first held one lies. */
  #at = 0
  /** The first frame of the audio clock that has not come out yet. */
  #next = 0

  /** @param rate frames of the audio clock that pass in one of the clip */
  constructor(rate: number) {
    this.#rate = rate
  }

  /** @param channels what follows @param at frame of the audio clock, not whole, at which it begins @returns what has come out; a hole begins anew */
  add(channels: readonly Float32Array[], at: number): Piece[] {
    const out: Piece[] = []
    const follows = this.#held.length === channels.length && Math.abs(this.#at + this.#held[0].length * this.#rate - at) < 0.01
    if (!follows) {
      out.push(...this.end())
      this.#at = at
      this.#next = Math.ceil(at)
    }
    this.#held = channels.map((c, i) => (follows ? joined(this.#held[i], c) : c))
    const frames = this.#held[0].length
    out.push(...this.#out(Math.floor(this.#at + (frames - MARGIN) * this.#rate)))
    const drop = Math.max(0, Math.min(frames, Math.floor((this.#next - this.#at) / this.#rate) - MARGIN))
    this.#held = this.#held.map((c) => c.slice(drop))
    this.#at += drop * this.#rate
    return out
  }

  /** The rest. */
  end(): Piece[] {
    const frames = this.#held[0]?.length ?? 0
    const out = this.#out(Math.ceil(this.#at + frames * this.#rate))
    this.#held = []
    return out
  }

  /** Frames of the audio clock up to one. */
  #out(to: number): Piece[] {
    const count = to - this.#next
    if (this.#held.length === 0 || count <= 0) return []
    const [first, frames] = [this.#next - this.#at, this.#held[0].length]
    const channels = this.#held.map((c) => {
      const own = new Float32Array(count)
      for (let n = 0; n < count; n++) own[n] = interpolate(c, frames, 1, 0, (first + n) / this.#rate)
      return own
    })
    const piece = { channels, frame: this.#next }
    this.#next = to
    return [piece]
  }
}

function joined(a: Float32Array, b: Float32Array): Float32Array {
  const out = new Float32Array(a.length + b.length)
  out.set(a)
  out.set(b, a.length)
  return out
}
