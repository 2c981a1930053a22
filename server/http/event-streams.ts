import { createEventBuffer, createSession, type Session } from 'better-sse'
import type { Request, Response } from 'express'
import type { EventBus } from '../ports/bus.ts'

/** Bytes kept for a page that does not read. */
const MOST_UNREAD = 4 * 2 ** 20
const BEAT_EVERY = 15_000
const RETRY_AFTER = 1000

/** Open streams of events; each page hears all that the bus tells. */
export class EventStreams {
  readonly #pages = new Map<Session, Response>()
  readonly #silence: () => void

  constructor(bus: EventBus) {
    this.#silence = bus.listen((event, seq) => {
      if (this.#pages.size === 0) return
      // Written once for all of them.
      const told = createEventBuffer().push({ ...event, seq }, 'message', String(seq))
      for (const [session, response] of this.#pages) {
        // A page that has not read for long asks for everything when it comes back; its news are not piled up for it.
        if (response.writableLength > MOST_UNREAD) response.destroy()
        else void session.batch(told)
      }
    })
  }

  async open(request: Request, response: Response): Promise<void> {
    const headers = { 'cache-control': 'no-store', 'x-accel-buffering': 'no' }
    const session = await createSession(request, response, { keepAlive: BEAT_EVERY, retry: RETRY_AFTER, headers })
    this.#pages.set(session, response)
    const gone = () => this.#pages.delete(session)
    session.once('disconnected', gone)
    if (!session.isConnected) gone()
  }

  /** Streams that are open. */
  get pages(): number {
    return this.#pages.size
  }

  closeAll(): void {
    this.#silence()
    for (const response of this.#pages.values()) response.end()
  }
}
