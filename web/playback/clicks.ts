import type { DeskPassage } from '@pendolo/core/mix'

export interface Click {
  /** Master time, s. */
  readonly time: number
  /** The first of a bar sounds higher. */
  readonly strong: boolean
}

/** How far ahead clicks are given to the audio clock, and how often, s. */
const AHEAD = 0.4
const EVERY = 0.1

/** Short clicks on given times, on the clock of the sound itself. */
export class Clicks {
  readonly #context: BaseAudioContext
  readonly #out: AudioNode
  #list: readonly Click[] = []
  #timer: ReturnType<typeof setInterval> | null = null
  #nodes = new Set<OscillatorNode>()
  #start: { passages: readonly DeskPassage[]; at: number } | null = null
  /** What is to be clicked, by seconds after the start. */
  #due: readonly { readonly after: number; readonly strong: boolean }[] = []
  #next = 0
  /** Clicks given to the audio clock since playing began. */
  given = 0

  constructor(context: BaseAudioContext, out: AudioNode) {
    this.#context = context
    this.#out = out
  }

  /** @param list ascending */
  set(list: readonly Click[]): void {
    this.#list = list
    if (this.#start) this.start(this.#start.passages, this.#start.at)
  }

  start(passages: readonly DeskPassage[], at: number): void {
    this.stop()
    this.#start = { passages, at }
    this.#due = passages.flatMap(({ master, after, length }) =>
      this.#list.filter((c) => c.time >= master && c.time < master + length).map((c) => ({ after: after + (c.time - master), strong: c.strong })),
    )
    const now = Math.max(0, this.#context.currentTime - at)
    this.#next = this.#due.findIndex((c) => c.after >= now)
    this.given = 0
    if (this.#next < 0) return
    this.#give()
    this.#timer = setInterval(() => this.#give(), EVERY * 1000)
  }

  stop(): void {
    if (this.#timer !== null) clearInterval(this.#timer)
    this.#timer = null
    this.#start = null
    for (const node of this.#nodes) node.stop()
    this.#nodes.clear()
  }

  #give(): void {
    if (!this.#start) return
    for (; this.#next < this.#due.length; this.#next++) {
      const { after, strong } = this.#due[this.#next]
      const when = this.#start.at + after
      if (when > this.#context.currentTime + AHEAD) return
      if (when >= this.#context.currentTime) this.#click(when, strong)
    }
  }

  #click(when: number, strong: boolean): void {
    const tone = this.#context.createOscillator()
    const gain = this.#context.createGain()
    tone.frequency.value = strong ? 1760 : 1175
    gain.gain.setValueAtTime(0, when)
    gain.gain.linearRampToValueAtTime(strong ? 0.5 : 0.32, when + 0.001)
    gain.gain.exponentialRampToValueAtTime(0.001, when + 0.04)
    tone.connect(gain).connect(this.#out)
    tone.start(when)
    tone.stop(when + 0.05)
    this.given++
    this.#nodes.add(tone)
    tone.onended = () => {
      this.#nodes.delete(tone)
      gain.disconnect()
    }
  }
}
