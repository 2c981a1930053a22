import { execFileSync, spawn } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'

/** A clip whose every picture tells camera and frame number in a bar code, with the sound of the show's master. */
export interface Camera {
  readonly folder: string
  readonly file: string
  readonly code: number
  readonly num: number
  readonly den: number
  readonly seconds: number
  /** Where it begins on the master's time, s. */
  readonly start: number
  readonly drift: number
}

export interface Show {
  /** Names the folder that it is kept in. */
  readonly name: string
  /** Length of the master. */
  readonly seconds: number
  readonly cameras: readonly Camera[]
}

export const CAMERAS = [
  { folder: 'cam-a', file: 'a.mp4', code: 1, num: 25, den: 1, seconds: 34, start: 2.013, drift: 0 },
  { folder: 'cam-b', file: 'b.mov', code: 2, num: 30000, den: 1001, seconds: 40, start: -1.507, drift: 40e-6 },
  { folder: 'cam-c', file: 'c.mkv', code: 3, num: 24, den: 1, seconds: 30, start: 5.25, drift: -25e-6 },
] as const

export const MASTER_SECONDS = 38
const SHORT: Show = { name: 'numbers-3', seconds: MASTER_SECONDS, cameras: CAMERAS }
const RATE = 48000
const WIDTH = 320
const HEIGHT = 180
/** Of the frame number: enough for hours. */
const BITS = 20
const CELL = WIDTH / BITS
const ALL = 2 ** BITS - 1

function seeded(seed: number): () => number {
  let a = seed
  return () => {
    a = (a + 0x6d2b79f5) | 0
    let t = Math.imul(a ^ (a >>> 15), 1 | a)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
}

/** A drum and a plucked tune at 120 beats a minute: beats on every half second from 0.5 s on. */
function music(seconds: number): Float32Array {
  const out = new Float32Array(seconds * RATE)
  const r = seeded(4)
  for (let beat = 1; beat < seconds * 2 - 1; beat++) {
    const from = beat * RATE * 0.5
    const hz = 220 * 2 ** (Math.floor(r() * 24) / 12)
    for (let i = 0; i < 0.45 * RATE; i++) {
      const t = i / RATE
      out[from + i] +=
        0.5 * Math.exp(-t / 0.05) * Math.sin(2 * Math.PI * (beat % 4 === 1 ? 60 : 150) * t) +
        0.25 * Math.exp(-t / 0.01) * (r() - 0.5) +
        0.2 * Math.exp(-t / 0.2) * Math.sin(2 * Math.PI * hz * t)
    }
  }
  return out
}

export function wav(samples: Float32Array): Buffer {
  const data = Buffer.alloc(44 + samples.length * 2)
  data.write('RIFF', 0)
  data.writeUInt32LE(36 + samples.length * 2, 4)
  data.write('WAVEfmt ', 8)
  data.writeUInt32LE(16, 16)
  data.writeUInt16LE(1, 20)
  data.writeUInt16LE(1, 22)
  data.writeUInt32LE(RATE, 24)
  data.writeUInt32LE(RATE * 2, 28)
  data.writeUInt16LE(2, 32)
  data.writeUInt16LE(16, 34)
  data.write('data', 36)
  data.writeUInt32LE(samples.length * 2, 40)
  for (const [i, x] of samples.entries()) data.writeInt16LE(Math.round(Math.max(-1, Math.min(1, x)) * 32767), 44 + 2 * i)
  return data
}

/** A grey picture with camera and number in bars. */
export function picture(code: number, frame: number): Buffer {
  const out = Buffer.alloc(WIDTH * HEIGHT, 60 + 40 * code)
  const row = (top: number, value: number) => {
    for (let bit = 0; bit < BITS; bit++) {
      const shade = (value >> (BITS - 1 - bit)) & 1 ? 235 : 16
      for (let y = top; y < top + 44; y++) out.fill(shade, y * WIDTH + bit * CELL, y * WIDTH + (bit + 1) * CELL)
    }
  }
  row(10, frame)
  // The camera's code twice, plain and inverted: a torn or blended picture cannot pass.
  row(68, (code << 8) | (~code & 0xff))
  row(126, ~frame & ALL)
  return out
}

export interface Read {
  readonly code: number
  readonly frame: number
}

/** Reads the bar codes of a grey picture of any size; null when they contradict each other. */
export function readPicture(gray: Uint8Array, width: number, height: number, stride = 1): Read | null {
  const row = (middle: number) => {
    let value = 0
    const y = Math.round((middle / HEIGHT) * height)
    for (let bit = 0; bit < BITS; bit++) {
      const x = Math.round(((bit + 0.5) / BITS) * width)
      value = (value << 1) | (gray[(y * width + x) * stride] > 128 ? 1 : 0)
    }
    return value
  }
  const frame = row(32)
  const both = row(90)
  const code = both >> 8
  return (both & 0xff) === (~code & 0xff) && row(148) === (~frame & ALL) ? { code, frame } : null
}

/** Makes the folder of numbered cameras once for all tests, also when several begin at once; @returns its path */
export async function makeNumbers(show = SHORT): Promise<string> {
  const kept = path.join(os.tmpdir(), `pendolo-${show.name}`)
  if (existsSync(kept)) return kept
  const folder = mkdtempSync(`${kept}-`)
  mkdirSync(path.join(folder, 'desk'), { recursive: true })
  const master = music(show.seconds)
  writeFileSync(path.join(folder, 'desk', 'master-mix.wav'), wav(master))
  for (const camera of show.cameras) {
    mkdirSync(path.join(folder, camera.folder), { recursive: true })
    const r = seeded(camera.code * 7)
    const sound = new Float32Array(camera.seconds * RATE)
    for (let i = 0; i < sound.length; i++) {
      const at = (camera.start + (i / RATE) * (1 + camera.drift)) * RATE
      const k = Math.floor(at)
      const value = (m: number) => (master[m] ?? 0) + ((master[m + 1] ?? 0) - (master[m] ?? 0)) * (at - k)
      sound[i] = 0.5 * value(k) + 0.2 * (k > 900 ? value(k - 900) : 0) + 0.02 * (r() - 0.5)
    }
    const raw = path.join(folder, `${camera.file}.wav`)
    writeFileSync(raw, wav(sound))
    const child = spawn(
      'ffmpeg',
      [
        '-v',
        'error',
        '-y',
        '-f',
        'rawvideo',
        '-pix_fmt',
        'gray',
        '-s',
        `${WIDTH}x${HEIGHT}`,
        '-framerate',
        `${camera.num}/${camera.den}`,
        '-i',
        'pipe:0',
        '-i',
        raw,
        '-map',
        '0:v',
        '-map',
        '1:a',
        // B-frames and long groups on purpose: cuts must be exact in such files too.
        '-c:v',
        'libx264',
        '-preset',
        'fast',
        '-bf',
        '3',
        '-g',
        '60',
        '-crf',
        '16',
        '-pix_fmt',
        'yuv420p',
        ...(camera.file.endsWith('.mkv') ? ['-c:a', 'pcm_s16le'] : ['-c:a', 'aac', '-b:a', '160k']),
        path.join(folder, camera.folder, camera.file),
      ],
      { stdio: ['pipe', 'inherit', 'inherit'] },
    )
    const count = Math.floor((camera.seconds * camera.num) / camera.den)
    for (let n = 0; n < count; n++) if (!child.stdin.write(picture(camera.code, n))) await once(child.stdin, 'drain')
    child.stdin.end()
    const [exit] = await once(child, 'close')
    if (exit !== 0) throw new Error(`could not make ${camera.file}`)
    rmSync(raw)
  }
  try {
    renameSync(folder, kept)
  } catch (error) {
    // Another test was faster.
    if (!existsSync(kept)) throw error
    rmSync(folder, { recursive: true, force: true })
  }
  return kept
}

/** All pictures of a film, scaled, brightness only. */
export function readLuma(file: string, width: number, height: number): Uint8Array[] {
  const bytes = execFileSync(
    'ffmpeg',
    ['-v', 'error', '-i', file, '-map', '0:v', '-vf', `scale=${width}:${height}`, '-pix_fmt', 'gray', '-fps_mode', 'passthrough', '-f', 'rawvideo', '-'],
    { maxBuffer: 1 << 30 },
  )
  const size = width * height
  return Array.from({ length: Math.floor(bytes.length / size) }, (_, n) => bytes.subarray(n * size, (n + 1) * size))
}

/** Every picture of a film, read. */
export function readFilm(file: string, width: number, height: number): (Read | null)[] {
  return readLuma(file, width, height).map((picture) => readPicture(picture, width, height))
}

/** The pictures of a film of any length, one after the other. */
export async function* filmPictures(file: string, width: number, height: number): AsyncGenerator<Read | null> {
  const filter = `scale=${width}:${height}:flags=area`
  const child = spawn(
    'ffmpeg',
    ['-v', 'error', '-i', file, '-map', '0:v', '-vf', filter, '-pix_fmt', 'gray', '-fps_mode', 'passthrough', '-f', 'rawvideo', '-'],
    {
      stdio: ['ignore', 'pipe', 'inherit'],
    },
  )
  const size = width * height
  let held = Buffer.alloc(0)
  for await (const chunk of child.stdout) {
    held = Buffer.concat([held, chunk as Buffer])
    let from = 0
    for (; from + size <= held.length; from += size) yield readPicture(held.subarray(from, from + size), width, height)
    held = held.subarray(from)
  }
}

/** Mono sound of a file at a rate, as its players hear it. */
export function readSound(file: string, rate: number): Float32Array {
  const bytes = execFileSync('ffmpeg', ['-v', 'error', '-i', file, '-map', '0:a', '-ac', '1', '-ar', String(rate), '-f', 'f32le', '-'], { maxBuffer: 1 << 30 })
  return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + (bytes.length & ~3)))
}

/** Lag in samples at which `b` fits `a` best, within ±reach. */
export function bestLag(a: Float32Array, b: Float32Array, reach: number): number {
  let best = -Infinity
  let lag = 0
  for (let d = -reach; d <= reach; d++) {
    let sum = 0
    for (let i = reach; i < Math.min(a.length, b.length) - reach; i += 3) sum += a[i] * b[i + d]
    if (sum > best) {
      best = sum
      lag = d
    }
  }
  return lag
}
