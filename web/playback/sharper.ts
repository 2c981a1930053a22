import type { Counted } from './counting.ts'

/** Whether the machine keeps up is looked at this often while it plays, ms; more often while the sharper copy is tried, which may be all it takes. */
const JUDGED_EVERY = 1000
const JUDGED_SHARP = 250
/** With more of the pictures late than this the programme goes back to the light copy; with fewer than the other it takes the sharper one. */
const TOO_LATE = 0.01
const KEEPS_UP = 0.005
/** So many pictures of the sharper copy must be there one after the other before it is seen, so that it does not flicker. */
const STEADY = 6
/** After it did not keep up it is tried again so much later, each time four times as late, ms. */
const TRIED_AGAIN = 30_000
const TRIED_AGAIN_AT_MOST = 600_000
/** Drawing more than this share of its time the machine has none left for a sharper copy; below the other it has. */
const TOO_BUSY = 0.5
const IS_FREE = 0.12
const GOOD_SECONDS = 3

/** Decides whether the programme is seen from its sharper copy while it plays: while the machine keeps up. */
export class Sharper {
  #on = false
  #steady = 0
  #judged = 0
  #before: Counted = { due: 0, late: 0 }
  #busy = 0
  #good = 0
  #from = 0
  #wait = TRIED_AGAIN

  /** Whether it is tried. */
  get tried(): boolean {
    return this.#on
  }

  /** Whether it is seen: its pictures come one after the other. */
  get seen(): boolean {
    return this.#steady > STEADY
  }

  /** Playing begins. */
  begin(now: number, counted: Counted): void {
    this.#steady = 0
    this.#goOn(now, counted)
  }

  /** Time was spent on drawing, ms. */
  worked(ms: number): void {
    this.#busy += ms
  }

  /** A picture of the sharper copy was asked for. @param there whether it had come */
  asked(there: boolean): void {
    this.#steady = there ? this.#steady + 1 : 0
  }

  /** Takes the sharper copy while the machine keeps up, and leaves it when it does not. */
  judge(now: number, counted: Counted): void {
    if (now - this.#judged < (this.#on ? JUDGED_SHARP : JUDGED_EVERY)) return
    const [came, missed] = [counted.due - this.#before.due, counted.late - this.#before.late]
    // What was counted anew meanwhile says nothing.
    if (came >= 0 && missed >= 0) {
      const busy = this.#busy / (now - this.#judged)
      if (this.#on && (busy > TOO_BUSY || missed > Math.max(1, TOO_LATE * came))) this.#leave(now)
      else if (!this.#on && now >= this.#from) {
        // One good second may be chance.
        this.#good = busy < IS_FREE && missed <= KEEPS_UP * came ? this.#good + 1 : 0
        this.#on = this.#good >= GOOD_SECONDS
      }
    }
    this.#goOn(now, counted)
  }

  #leave(now: number): void {
    this.#on = false
    this.#steady = 0
    this.#good = 0
    this.#from = now + this.#wait
    this.#wait = Math.min(TRIED_AGAIN_AT_MOST, 4 * this.#wait)
  }

  #goOn(now: number, counted: Counted): void {
    this.#judged = now
    this.#before = counted
    this.#busy = 0
  }
}
