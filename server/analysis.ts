import os from 'node:os'
import { MessageChannel } from 'node:worker_threads'
import { Piscina } from 'piscina'
import type { Config } from './config.ts'
import { Cancelled } from './media/ffmpeg.ts'
import type { SoundSteps } from './media/sound.ts'
import type { Task, TaskResult } from './worker.ts'

/** Worker threads for the heavy computation. */
export class Analysis {
  readonly #pool: Piscina

  constructor(config: Config) {
    this.#pool = new Piscina({ filename: config.worker, maxThreads: Math.max(1, Math.min(8, os.availableParallelism())), minThreads: 0, idleTimeout: 30_000 })
  }

  get threads(): number {
    return this.#pool.options.maxThreads
  }

  /** @throws Cancelled when the signal fires (the thread is ended) */
  async run<T extends Task>(task: T, signal?: AbortSignal, onProgress?: (share: number) => void): Promise<TaskResult<T>> {
    const { port1, port2 } = new MessageChannel()
    port1.on('message', (share: number) => onProgress?.(share))
    port1.unref()
    try {
      return (await this.#pool.run({ task, progress: port2 }, { signal, transferList: [port2] })) as TaskResult<T>
    } catch (error) {
      if (signal?.aborted) throw new Cancelled()
      throw error
    } finally {
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
