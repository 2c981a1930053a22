import type { Response } from 'express'
import type { EventBus } from '../ports/bus.ts'

/** Bytes kept for a page that does not read. */
const MOST_UNREAD = 4 * 2 ** 20
const BEAT_EVERY = 15_000

/** Open streams of events; each page hears all that the bus tells. */
export class EventStreams {
  readonly #streams = new Set<Response>()
  readonly #silence: () => void

  constructor(bus: EventBus) {
    this.#silence = bus.listen((event, seq) => {
      if (this.#streams.size === 0) return
      const text = `data: ${JSON.stringify({ ...event, seq })}\n\n`
      for (const stream of this.#streams) {
        // A page that has not read for long asks for everything when it comes back; its news are not piled up for it.
        if (stream.writableLength > MOST_UNREAD) stream.destroy()
        else stream.write(text)
      }
    })
  }

  open(response: Response): void {
    response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', connection: 'keep-alive', 'x-accel-buffering': 'no' })
    response.write('retry: 1000\n\n')
    this.#streams.add(response)
    const beat = setInterval(() => response.write(': still here\n\n'), BEAT_EVERY)
    response.on('close', () => {
      clearInterval(beat)
      this.#streams.delete(response)
    })
  }

  /** Streams that are open. */
  get pages(): number {
    return this.#streams.size
  }

  closeAll(): void {
    this.#silence()
    for (const stream of this.#streams) stream.end()
  }
}
