import { type ChildProcess, spawn } from 'node:child_process'
import type { Config } from '../config.ts'

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

/** Arguments that open a plain local file and nothing else. */
export function inputArguments(file: string): string[] {
  return ['-protocol_whitelist', 'file,pipe', '-format_whitelist', CONTAINERS, '-i', `file:${file}`]
}

export class MediaError extends Error {
  readonly code = 'media'
}

export class Cancelled extends Error {
  readonly code = 'cancelled'
  constructor() {
    super('cancelled')
  }
}

export interface RunOptions {
  readonly signal?: AbortSignal
  /** When it returns a promise, no more is read until that is settled. */
  readonly onStdout?: (chunk: Buffer) => void | Promise<void>
  readonly onStderr?: (text: string) => void
}

/**
 * Runs ffmpeg or ffprobe to its end.
 * @returns what it wrote to standard output when no onStdout was given
 * @throws Cancelled when the signal fires; MediaError with the last lines ffmpeg said
 */
export function run(command: string, args: readonly string[], options: RunOptions = {}): Promise<string> {
  return new Promise((resolve, reject) => {
    if (options.signal?.aborted) return reject(new Cancelled())
    const child = spawn(command, args, { stdio: ['ignore', 'pipe', 'pipe'] })
    const out: Buffer[] = []
    let said = ''
    const stop = () => child.kill('SIGKILL')
    options.signal?.addEventListener('abort', stop, { once: true })
    child.stdout.on('data', (chunk: Buffer) => {
      if (!options.onStdout) return void out.push(chunk)
      const taken = options.onStdout(chunk)
      if (!taken) return
      child.stdout.pause()
      taken.then(
        () => child.stdout.resume(),
        (error: unknown) => {
          stop()
          reject(error)
        },
      )
    })
    child.stderr.on('data', (chunk: Buffer) => {
      const text = chunk.toString('utf8')
      said = (said + text).slice(-4000)
      options.onStderr?.(text)
    })
    child.on('error', (error: NodeJS.ErrnoException) => {
      options.signal?.removeEventListener('abort', stop)
      reject(error.code === 'ENOENT' ? new MediaError(`${command} is not installed; install ffmpeg and start again`) : error)
    })
    child.on('close', (code) => {
      options.signal?.removeEventListener('abort', stop)
      if (options.signal?.aborted) reject(new Cancelled())
      else if (code === 0) resolve(Buffer.concat(out).toString('utf8'))
      else reject(new MediaError(lastWords(said) || `${command} stopped with code ${code}`))
    })
  })
}

/** Starts ffmpeg with pipes left to the caller, who must end it with {@link endChild}. */
export function start(config: Config, args: readonly string[], stdio: ('ignore' | 'pipe')[]): ChildProcess {
  return spawn(config.ffmpeg, args, { stdio })
}

/** May be called twice, and after the end. */
export function endChild(child: ChildProcess): void {
  if (child.exitCode === null && child.signalCode === null) child.kill('SIGKILL')
}

export function lastWords(text: string): string {
  const lines = text
    .split(/[\r\n]+/)
    .map((line) => line.replace(/^\[[^\]]*\] */, '').trim())
    .filter((line) => line !== '' && !/^(frame=|size=|out_|progress=|Conversion failed|Last message repeated)/.test(line))
  return lines.slice(-2).join('; ').slice(0, 400)
}

/** Reads "out_time_us=" lines of `-progress pipe:2`. @returns seconds written so far, or null */
export function progressSeconds(text: string): number | null {
  const found = [...text.matchAll(/out_time_us=(\d+)/g)].pop()
  return found ? Number(found[1]) / 1e6 : null
}
