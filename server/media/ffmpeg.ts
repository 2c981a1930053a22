import { type ChildProcess, spawn } from 'node:child_process'
import { accessSync, constants, readFileSync } from 'node:fs'
import path from 'node:path'
import type { FileFacts } from '@pendolo/core/project'
import type { Config } from '../config.ts'
import { stillDemuxer } from './stills.ts'
import { MediaError, wordsFor } from './words.ts'

/**
 * Containers that may be opened. Playlists, concat scripts and anything that makes ffmpeg open further files are not
 * among them: a script that calls itself holiday.mp4 is refused by its content.
 */
const CONTAINERS = [
  'mov',
  'mp4',
  'm4a',
  '3gp',
  'matroska',
  'webm',
  'avi',
  'wav',
  'w64',
  'aiff',
  'flac',
  'mp3',
  'aac',
  'ogg',
  'mpegts',
  'mpeg',
  'mxf',
  'flv',
  'dv',
  'asf',
  'caf',
  'au',
  'ac3',
  'eac3',
  'wv',
  'amr',
].join(',')

/** Arguments that open a plain local file and nothing else: no network, no list of further files. */
export function inputArguments(file: string): string[] {
  const still = stillDemuxer(file)
  if (still) return ['-protocol_whitelist', 'file,pipe', '-format_whitelist', still, '-f', still, '-i', `file:${file}`]
  return ['-protocol_whitelist', 'file,pipe', '-format_whitelist', CONTAINERS, '-i', `file:${file}`]
}

/** A path as an option within a graph of filters: marks of both are taken literally. */
export function escaped(file: string): string {
  const once = file.replace(/[\\':]/g, '\\$&')
  return once.replace(/[\\'[\],;]/g, '\\$&')
}

export class Cancelled extends Error {
  readonly code = 'cancelled'
  constructor() {
    super('cancelled')
  }
}

/** What one process may take; what goes beyond is ended and told in words. */
export interface Limits {
  readonly seconds: number
  readonly memoryBytes: number
  /** Bytes it may give on standard output. */
  readonly outputBytes?: number
}

const MEGABYTE = 2 ** 20
/** Looking into a file takes a moment; one that keeps the prober busy for so long is damaged. */
export const PROBE_LIMITS: Limits = { seconds: 30, memoryBytes: 600 * MEGABYTE, outputBytes: 8 * MEGABYTE }
/** Every file may take this long, and so many times its length on a slow machine. */
const LEAST_SECONDS = 120
const TIMES_LENGTH = 30
const LEAST_MEMORY = 400 * MEGABYTE
/** Together with server and browser this must fit a small machine. */
const MOST_MEMORY = 1100 * MEGABYTE
/** Pictures that a decoder, its filters and two encoders hold at once. */
const HELD_PICTURES = 48

/** What writing one channel by itself takes. */
const CHANNEL_MEMORY = 12e6

/** What working through a whole file may take, from its facts. */
export function limitsFor(facts: FileFacts): Limits {
  const channels = (facts.audio?.streamChannels ?? [facts.audio?.channels ?? 0]).reduce((sum, c) => sum + c, 0)
  const picture = facts.video ? facts.video.width * facts.video.height * 3 : 0
  return {
    seconds: LEAST_SECONDS + TIMES_LENGTH * facts.durationSeconds,
    memoryBytes: Math.min(MOST_MEMORY, LEAST_MEMORY + HELD_PICTURES * picture + CHANNEL_MEMORY * channels),
  }
}

/** Pictures of more than this are decoded by one thread: each further one holds pictures of its own. */
const LARGE_PICTURE = 16_000_000

/** Decoder arguments that keep memory in bounds; they stand before the input. */
export function decoderArguments(facts: FileFacts): string[] {
  return facts.video && facts.video.width * facts.video.height > LARGE_PICTURE ? ['-threads', '1'] : []
}

export interface RunOptions {
  readonly signal?: AbortSignal
  readonly limits: Limits
  /** Name of the file it is about, for what is said when it fails. */
  readonly about: string
  /** When it returns a promise, no more is read until that is settled. */
  readonly onStdout?: (chunk: Buffer) => void | Promise<void>
  readonly onStderr?: (text: string) => void
}

/** How often a process's memory is looked at, ms. */
const WATCH_EVERY = 200

/**
 * Runs ffmpeg or ffprobe to its end.
 * @returns what it wrote to standard output when no onStdout was given
 * @throws Cancelled when the signal fires; MediaError in plain words, with the last lines it said as `raw`
 */
export function run(command: string, args: readonly string[], { signal, limits, about, onStdout, onStderr }: RunOptions): Promise<string> {
  return new Promise((resolve, reject) => {
    if (signal?.aborted) return reject(new Cancelled())
    const child = launch(command, args, ['ignore', 'pipe', 'pipe'], limits)
    const out: Buffer[] = []
    let given = 0
    let said = ''
    const stop = () => endChild(child)
    signal?.addEventListener('abort', stop, { once: true })
    let broken: unknown = null
    const give = (error: unknown) => {
      broken ??= error
      stop()
      // What waits unread would keep the end from being told.
      child.stdout?.resume()
    }
    const unwatch = watch(child, limits, (words) => give(new MediaError(`${about} ${words}`)))
    child.stdout?.on('data', (chunk: Buffer) => {
      if (broken) return
      given += chunk.length
      if (limits.outputBytes !== undefined && given > limits.outputBytes)
        return give(new MediaError(`${about} says more about itself than can be true; it is damaged`))
      if (!onStdout) return void out.push(chunk)
      try {
        const taken = onStdout(chunk)
        if (!taken) return
        child.stdout?.pause()
        taken.then(() => child.stdout?.resume(), give)
      } catch (error) {
        give(error)
      }
    })
    child.stderr?.on('data', (chunk: Buffer) => {
      const text = chunk.toString('utf8')
      said = (said + text).slice(-4000)
      onStderr?.(text)
    })
    const ended = () => {
      unwatch()
      signal?.removeEventListener('abort', stop)
    }
    child.on('error', (error: NodeJS.ErrnoException) => {
      ended()
      reject(error.code === 'ENOENT' ? new MediaError(`${command} is not installed; install ffmpeg and start again`) : error)
    })
    child.on('close', (code, killed) => {
      ended()
      if (signal?.aborted) reject(new Cancelled())
      else if (broken) reject(broken)
      else if (NOT_STARTED.test(said)) reject(new MediaError(`${command} is not installed; install ffmpeg and start again`))
      else if (code === 0) resolve(Buffer.concat(out).toString('utf8'))
      else reject(new MediaError(`${about} ${wordsFor(said)}`, lastWords(said) || `${path.basename(command)} stopped with ${killed ?? `code ${code}`}`))
    })
  })
}

/** What the wrapper says when the tool itself is not there. */
const NOT_STARTED = /^(setpriv|prlimit): failed to execute/m

/** Ends a process that goes beyond its limits. @returns a function that stops watching */
function watch(child: ChildProcess, { seconds, memoryBytes }: Limits, beyond: (words: string) => void): () => void {
  const timer = setTimeout(
    () => beyond(`took more than ${seconds >= 120 ? `${Math.round(seconds / 60)} minutes` : `${seconds} s`} and was given up; it may be damaged`),
    Math.min(seconds * 1000, 2 ** 31 - 1),
  )
  const look = setInterval(() => {
    if (residentBytes(child.pid) > memoryBytes)
      beyond(`needs more than ${Math.round(memoryBytes / MEGABYTE)} MB of memory and was given up; make a smaller copy of it and gather that`)
  }, WATCH_EVERY)
  timer.unref()
  look.unref()
  return () => {
    clearTimeout(timer)
    clearInterval(look)
  }
}

/** Memory that a process holds; 0 where the system does not tell. */
function residentBytes(pid: number | undefined): number {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, 'latin1').split(' ')[1]) * 4096
  } catch {
    return 0
  }
}

const living = new Set<ChildProcess>()
// A server that ends takes its children with it, in its own words where it still has any.
process.on('exit', () => {
  for (const child of living) endChild(child)
})

function onPath(command: string): boolean {
  return (process.env.PATH ?? '').split(path.delimiter).some((folder) => {
    try {
      accessSync(path.join(folder, command), constants.X_OK)
      return true
    } catch {
      return false
    }
  })
}

const wrapped = process.platform === 'linux' && onPath('setpriv') && onPath('prlimit')
/** Address space counts what is only reserved too, so the hard border lies well above what may be held. */
const RESERVED_BYTES = 4 * 2 ** 30

/**
 * Starts a tool so that it cannot outlive this process: where the system can, it is killed with its parent even when
 * that is killed itself, and cannot reserve memory without end.
 */
function launch(command: string, args: readonly string[], stdio: ('ignore' | 'pipe')[], limits: Limits): ChildProcess {
  const env = { ...process.env, MALLOC_ARENA_MAX: '2' }
  const bound = [`--as=${limits.memoryBytes + RESERVED_BYTES}`, '--core=0', '--', command, ...args]
  const child = wrapped ? spawn('setpriv', ['--pdeathsig', 'KILL', 'prlimit', ...bound], { stdio, env }) : spawn(command, args, { stdio, env })
  living.add(child)
  child.on('close', () => living.delete(child))
  child.on('error', () => living.delete(child))
  return child
}

/** Starts ffmpeg with pipes left to the caller, who must end it with {@link dropChild}. @param beyond told when it goes beyond its limits, then it is ended */
export function start(config: Config, args: readonly string[], stdio: ('ignore' | 'pipe')[], limits: Limits, beyond: (words: string) => void): ChildProcess {
  const child = launch(config.ffmpeg, args, stdio, limits)
  const unwatch = watch(child, limits, (words) => {
    beyond(words)
    endChild(child)
  })
  child.on('close', unwatch)
  child.on('error', unwatch)
  return child
}

/** May be called twice, and after the end. */
export function endChild(child: ChildProcess): void {
  if (child.exitCode === null && child.signalCode === null) child.kill('SIGKILL')
}

/**
 * Ends a child of {@link start} whose output nobody reads any more. What waits unread in its pipes would otherwise keep
 * them open, and the child known, for as long as this process lives.
 */
export function dropChild(child: ChildProcess): void {
  endChild(child)
  for (const pipe of child.stdio.slice(1)) pipe?.destroy()
}

/** How many processes are running, or have ended with output that is still unread. */
export const childrenKnown = (): number => living.size

export function lastWords(text: string): string {
  const lines = text
    .split(/[\r\n]+/)
    .map((line) => line.replace(/^\[[^\]]*\] */, '').trim())
    .filter((line) => line !== '' && !/^(\w+=|Conversion failed|Last message repeated)/.test(line))
  return lines.slice(-2).join('; ').slice(0, 400)
}

/** Reads "out_time_us=" lines of `-progress pipe:2`. @returns seconds written so far, or null */
export function progressSeconds(text: string): number | null {
  const found = [...text.matchAll(/out_time_us=(\d+)/g)].pop()
  return found ? Number(found[1]) / 1e6 : null
}
