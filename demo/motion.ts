import type { Instrument, Note, Performance } from './band.ts'

/** What moves on the stage, asked "at time t". */
export class Motion {
  readonly #times = new Map<Instrument, Note[]>()
  readonly #show: Performance
  readonly #voice: Float32Array

  /** @param voice loudness of the speech, a hundred values a second from `speechAt` on, 0..1 */
  constructor(show: Performance, voice: Float32Array) {
    this.#show = show
    this.#voice = voice
    for (const note of show.notes) {
      const list = this.#times.get(note.instrument) ?? []
      list.push(note)
      this.#times.set(note.instrument, list)
    }
  }

  /** The last note begun at or before `t` and the next one. */
  around(instrument: Instrument, t: number): { last: Note | null; next: Note | null } {
    const list = this.#times.get(instrument) ?? []
    let low = 0
    let high = list.length
    while (low < high) {
      const middle = (low + high) >> 1
      if (list[middle].time <= t) low = middle + 1
      else high = middle
    }
    return { last: list[low - 1] ?? null, next: list[low] ?? null }
  }

  /** 1 at the attack, falling while the note sounds, 0 in rests. */
  blow(instrument: Instrument, t: number): number {
    const { last } = this.around(instrument, t)
    if (!last || t > last.time + last.length) return 0
    return 0.45 + 0.55 * Math.exp(-(t - last.time) / 0.09)
  }

  /** Height of a stick over its drum, 0 exactly at the stroke. */
  stick(instrument: Instrument, t: number): number {
    const { last, next } = this.around(instrument, t)
    const after = last ? Math.min(1, (t - last.time) / 0.1) : 1
    const before = next ? Math.min(1, (next.time - t) / 0.13) : 1
    return Math.min(after, before) * (last && t - last.time < 2 ? 1 : 0.7)
  }

  /** Opening of the speaker's lips, 0..1. */
  lips(t: number): number {
    const at = Math.floor((t - this.#show.speechAt) * 100)
    return at >= 0 && at < this.#voice.length ? Math.min(1, this.#voice[at] * 1.6) : 0
  }

  speaking(t: number): boolean {
    return t < this.#show.speechAt + this.#voice.length / 100 + 2.5
  }

  /** Brightness added by lamp flashes, 0..1: sudden, gone after a quarter of a second. */
  flash(t: number): number {
    let sum = 0
    for (const at of this.#show.flashes) if (t >= at && t < at + 0.6) sum = Math.max(sum, Math.exp(-(t - at) / 0.09))
    return sum
  }

  steam(t: number): number {
    const since = t - this.#show.whistleAt
    return since >= 0 && since < 4.5 ? since : -1
  }

  /** Applause, 0..1. */
  clapping(t: number): number {
    return this.#show.applause.some((a) => t > a.from && t < a.to) ? 1 : 0
  }

  /** Nods with the beat: 1 on the beat, 0 between and where there is no music. */
  nod(t: number): number {
    const { beats } = this.#show
    let low = 0
    let high = beats.length
    while (low < high) {
      const middle = (low + high) >> 1
      if (beats[middle] <= t) low = middle + 1
      else high = middle
    }
    const last = beats[low - 1]
    return last !== undefined && t - last < 0.7 ? Math.exp(-(t - last) / 0.14) : 0
  }
}
