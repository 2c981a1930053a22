import type { ServerEvent } from '@pendolo/api'
import type { EventBus } from '../ports/bus.ts'

/** Within this process (one user, a few tabs). */
export class LocalBus implements EventBus {
  /** Begins with the clock, so that numbers grow over restarts too. */
  #seq = Date.now()
  readonly #listeners = new Set<(event: ServerEvent, seq: number) => void>()

  get seq(): number {
    return this.#seq
  }

  send(event: ServerEvent): void {
    const seq = ++this.#seq
    for (const listener of [...this.#listeners]) listener(event, seq)
  }

  listen(listener: (event: ServerEvent, seq: number) => void): () => void {
    const own = (event: ServerEvent, seq: number) => listener(event, seq)
    this.#listeners.add(own)
    return () => void this.#listeners.delete(own)
  }
}
