import type { ServerEvent } from '@pendolo/api'
import type { Response } from 'express'

/** Bytes kept for a page that does not read. */
const MOST_UNREAD = 4 * 2 ** 20

/** Open event streams; everything that changes is told to all of them (one user, a few tabs). */
export class EventHub {
  readonly #streams = new Set<Response>()
  /** Begins with the clock, so that numbers grow over restarts too. */
  #seq = Date.now()
  readonly #listeners = new Set<(event: ServerEvent) => void>()

  open(response: Response): void {
    response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', connection: 'keep-alive', 'x-accel-buffering': 'no' })
    response.write('retry: 1000\n\n')
    this.#streams.add(response)
    const beat = setInterval(() => response.write(': still here\n\n'), 15_000)
    response.on('close', () => {
      clearInterval(beat)
      this.#streams.delete(response)
    })
  }

  /** Streams that are open. */
  get pages(): number {
    return this.#streams.size
  }

  listen(listener: (event: ServerEvent) => void): () => void {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  /** Number of the last event. What is read from now on knows of all up to it. */
  get seq(): number {
    return this.#seq
  }

  send(event: ServerEvent): void {
    const text = `data: ${JSON.stringify({ ...event, seq: ++this.#seq })}\n\n`
    for (const stream of this.#streams) {
      // A page that has not read for long asks for everything when it comes back; its news are not piled up for it.
      if (stream.writableLength > MOST_UNREAD) stream.destroy()
      else stream.write(text)
    }
    for (const listener of this.#listeners) listener(event)
  }

  closeAll(): void {
    for (const stream of this.#streams) stream.end()
  }
}
