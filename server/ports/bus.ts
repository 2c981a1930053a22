import type { ServerEvent } from '@pendolo/api'

/**
 * Tells everybody what has changed. Events are numbered in the order in which they were sent, and each listener hears
 * all that are sent while it listens, in that order. `bus.contract.ts` is what any adapter must pass.
 */
export interface EventBus {
  /** Number of the last event. What is read from now on knows of all up to it. Grows over restarts too. */
  readonly seq: number
  send(event: ServerEvent): void
  /** @returns ends the listening; may be called twice */
  listen(listener: (event: ServerEvent, seq: number) => void): () => void
}
