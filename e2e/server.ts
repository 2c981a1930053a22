import { type ChildProcess, spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdirSync, mkdtempSync, readFileSync, symlinkSync } from 'node:fs'
import path from 'node:path'
import { clockOf, type ProjectDoc, pulseOf } from '@pendolo/core/project'

const root = path.dirname(import.meta.dirname)

/** The folder of this run, made by `setup.ts`. */
const run = () => {
  if (!process.env.PENDOLO_E2E) throw new Error('the tests run through Playwright, which makes their folder')
  return process.env.PENDOLO_E2E
}

/** A new empty folder; it goes when all tests of this run have ended. */
export const scratch = (name: string): string => mkdtempSync(path.join(run(), `${name}-`))

/**
 * A home whose light copies are those that the other tests of this run made of the same content; what is tested is not
 * how they are made, and making them again for each test takes minutes.
 */
export function homeWithCopies(): string {
  const home = scratch('home')
  const copies = path.join(run(), 'copies')
  mkdirSync(copies, { recursive: true })
  symlinkSync(copies, path.join(home, 'artefacts'))
  return home
}

/** What a job says of itself: a code with data, words where somebody else said them. */
export interface JobDetail {
  readonly code: string
  readonly text?: string
}
export const said = ({ detail }: { readonly detail: JobDetail }): string => detail.text ?? JSON.stringify(detail)

/** A server of the test's own, on its own home; it can be killed and started again. */
export class TestServer {
  readonly home: string
  readonly #roots: string
  readonly #command: string[]
  #child: ChildProcess | null = null
  #port = 0

  readonly #settings: Record<string, string>
  /** What it said on its error output since it was made. */
  said = ''

  /** @param settings further environment of the process */
  constructor(roots: string, command: string[] = ['start'], home = scratch('home'), settings: Record<string, string> = {}) {
    this.home = home
    this.#roots = roots
    this.#command = command
    this.#settings = settings
  }

  get pid(): number {
    return this.#child?.pid ?? 0
  }

  get alive(): boolean {
    return this.#child !== null && this.#child.exitCode === null && this.#child.signalCode === null
  }

  get url(): string {
    return `http://127.0.0.1:${this.#port}`
  }

  /** The most memory that it ever had, as the kernel counts it (proc(5)). */
  mostMiB(): number {
    const status = readFileSync(`/proc/${this.#child?.pid}/status`, 'utf8')
    return Math.round(Number(/VmHWM:\s+(\d+)/.exec(status)?.[1]) / 1024)
  }

  /** Starts it, the second time on the port it had before. */
  async start(): Promise<void> {
    const child = spawn(process.execPath, [path.join(root, 'server', 'dist', 'cli.mjs'), ...this.#command, '--home', this.home, '--port', String(this.#port)], {
      env: { ...process.env, PENDOLO_ROOTS: this.#roots, ...this.#settings },
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    this.#child = child
    await new Promise<void>((resolve, reject) => {
      let said = ''
      child.stderr.on('data', (chunk) => {
        this.said += chunk
        process.stderr.write(chunk)
      })
      child.stdout.on('data', (chunk) => {
        said += chunk
        const address = /http:\/\/127\.0\.0\.1:(\d+)\//.exec(said)
        if (address) {
          this.#port = Number(address[1])
          resolve()
        }
      })
      child.on('exit', (code) => reject(new Error(`the server stopped with code ${code}: ${said}${this.said}`)))
    })
  }

  /** As a power cut would: no chance to tidy up. */
  async kill(): Promise<void> {
    const child = this.#child
    if (!child || child.exitCode !== null || child.signalCode !== null) return
    child.kill('SIGKILL')
    await once(child, 'exit')
  }

  /** A graceful stop. */
  async stop(): Promise<void> {
    const child = this.#child
    if (!child || !this.alive) return
    child.kill('SIGTERM')
    await once(child, 'exit')
  }

  async api<T>(path: string, body?: unknown): Promise<T> {
    const response = await fetch(
      `${this.url}/api${path}`,
      body === undefined ? {} : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
    )
    if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`)
    return (await response.json()) as T
  }

  /** A project's state, with its beats in one list, and the clip that is the clock. */
  async project<T>(id: string): Promise<T> {
    const state = await this.api<{ doc: ProjectDoc }>(`/projects/${id}`)
    const { doc } = state
    return { ...state, doc: { ...doc, pulse: pulseOf(doc), masterClipId: clockOf(doc) } } as T
  }

  /** Waits until no job waits or runs. */
  async idle(): Promise<void> {
    for (;;) {
      const jobs = await this.api<{ state: string; kind: string; about: string; detail: JobDetail }[]>('/jobs')
      const failed = jobs.find((j) => j.state === 'failed')
      if (failed) throw new Error(`${failed.kind} ${failed.about}: ${said(failed)}`)
      if (!jobs.some((j) => j.state === 'queued' || j.state === 'running')) return
      await new Promise((resolve) => setTimeout(resolve, 300))
    }
  }
}
