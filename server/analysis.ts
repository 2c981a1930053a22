import os from 'node:os'
import { MessageChannel } from 'node:worker_threads'
import type { Detail } from '@pendolo/api'
import { Piscina } from 'piscina'
import type { Config } from './config.ts'
import { Cancelled } from './media/ffmpeg.ts'
import type { SoundSteps } from './media/sound.ts'
import { MediaError } from './media/words.ts'
import { tidiesUp } from './tidy.ts'
import type { Task, TaskResult, Told } from './worker.ts'

/** Worker threads for the heavy computation. */
export class Analysis {
  readonly #pool: Piscina

  constructor(config: Config) {
    this.#pool = new Piscina({ filename: config.worker, maxThreads: Math.max(1, Math.min(8, os.availableParallelism())), minThreads: 0, idleTimeout: 30_000 })
  }

  get threads(): number {
    return this.#pool.options.maxThreads
  }

  /** @throws Cancelled when the signal fires: the thread is ended, but for a task that has to tidy up, which is asked to end */
  async run<T extends Task>(task: T, signal?: AbortSignal, onProgress?: (share: number, detail?: Detail) => void): Promise<TaskResult<T>> {
    const { port1, port2 } = new MessageChannel()
    const ended = new AbortController()
    let begun = false
    port1.on('message', (told: Told | 'ready') => {
      if (told !== 'ready') return onProgress?.(told.share, told.detail)
      begun = true
      port1.postMessage('begin')
    })
    port1.unref()
    // What has not begun has nothing to tidy up; it may be waiting for a thread, or its thread be starting still.
    const stop = () => (tidiesUp(task) && begun ? port1.postMessage('end') : ended.abort())
    signal?.addEventListener('abort', stop, { once: true })
    try {
      if (signal?.aborted) throw new Cancelled()
      return (await this.#pool.run({ task, progress: port2 }, { signal: ended.signal, transferList: [port2] })) as TaskResult<T>
    } catch (error) {
      if (signal?.aborted) throw new Cancelled()
      const { code, raw } = ((error as Error).cause ?? {}) as { code?: string; raw?: string | null }
      if (code === 'media') throw new MediaError((error as Error).message, raw ?? null)
      if (code !== undefined) throw Object.assign(error as Error, { code })
      throw error
    } finally {
      signal?.removeEventListener('abort', stop)
      port1.close()
    }
  }

  /** Steps of making sound that compute much, for {@link makeSound}. */
  soundSteps(signal?: AbortSignal): SoundSteps {
    return {
      listen: (...args) => this.run({ kind: 'listen', args }, signal),
      fold: (...args) => this.run({ kind: 'fold', args }, signal),
      alone: (...args) => this.run({ kind: 'alone', args }, signal),
    }
  }

  async close(): Promise<void> {
    await this.#pool.destroy()
  }
}
