import os from 'node:os'
import { Piscina } from 'piscina'
import type { Config } from './config.ts'
import { Cancelled } from './media/ffmpeg.ts'
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
  async run<T extends Task>(task: T, signal?: AbortSignal): Promise<TaskResult<T>> {
    try {
      return (await this.#pool.run(task, { signal })) as TaskResult<T>
    } catch (error) {
      if (signal?.aborted) throw new Cancelled()
      throw error
    }
  }

  async close(): Promise<void> {
    await this.#pool.destroy()
  }
}
