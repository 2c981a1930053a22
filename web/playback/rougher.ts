import type { Counted } from './counting.ts'

/** Whether the machine keeps up is looked at this often while it plays, ms. */
const JUDGED_EVERY = 500
/** Drawing for more than this share of its time, and later with its pictures than this, it shows them in half the detail: a quarter of the work. */
const TOO_BUSY = 0.45
const TOO_LATE = 0.01
/** Drawing so little it could draw them whole; for so many looks one after the other, or it may be chance. */
const IS_FREE = 0.15
const FREE_LOOKS = 4
/** After it did not keep up drawing them whole that is tried again so much later, each time twice as late, ms. */
const TRIED_AGAIN = 10_000
const TRIED_AGAIN_AT_MOST = 320_000

/** Decides whether pictures that play are drawn in half the detail: in time before sharp. */
export class Rougher {
  #on = false
  #judged = 0
  #before: Counted = { due: 0, late: 0 }
  #busy = 0
  #free = 0
  #from = 0
  #wait = TRIED_AGAIN

  /** Whether they are. It stays so from one playing to the next. */
  get on(): boolean {
    return this.#on
  }

  /** Playing begins. */
  begin(now: number, counted: Counted): void {
    this.#free = 0
    this.#goOn(now, counted)
  }

  /** Time was spent on drawing, ms. */
  worked(ms: number): void {
    this.#busy += ms
  }

  judge(now: number, counted: Counted): void {
    if (now - this.#judged < JUDGED_EVERY) return
    const [came, missed] = [counted.due - this.#before.due, counted.late - this.#before.late]
    const busy = this.#busy / (now - this.#judged)
    if (!this.#on) {
      // What was counted anew meanwhile says nothing.
      this.#on = missed > Math.max(1, TOO_LATE * came) && busy > TOO_BUSY
      this.#free = 0
      if (this.#on) this.#from = now + this.#wait
    } else {
      this.#free = busy < IS_FREE ? this.#free + 1 : 0
      if (this.#free >= FREE_LOOKS && now >= this.#from) {
        this.#on = false
        this.#wait = Math.min(TRIED_AGAIN_AT_MOST, 2 * this.#wait)
      }
    }
    this.#goOn(now, counted)
  }

  #goOn(now: number, counted: Counted): void {
    this.#judged = now
    this.#before = counted
    this.#busy = 0
  }
}
