import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdirSync } from 'node:fs'
import { rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { perform } from './band.ts'
import { DEVICES } from './cameras.ts'
import { hear } from './hearing.ts'
import { Motion } from './motion.ts'
import { Scene } from './scene.ts'

export interface ArtistTask {
  readonly into: string
  readonly ffmpeg: string
  readonly device: number
  readonly take: number
  /** Mono master at 48 kHz and loudness of the speech, both shared between threads. */
  readonly master: Float32Array
  readonly voice: Float32Array
}

/** Makes one file of one device; runs in a worker thread. */
export default async function makeTake(task: ArtistTask): Promise<void> {
  const device = DEVICES[task.device]
  const take = device.takes[task.take]
  const folder = path.join(task.into, device.folder)
  mkdirSync(folder, { recursive: true })
  const out = path.join(folder, take.file)
  const seed = task.device * 10 + task.take + 1
  const raw = `${out}.f32`
  const { hearing, view } = device
  const sound = hearing ? hear(task.master, hearing, take, seed) : null
  if (sound) await writeFile(raw, Buffer.from(sound.samples.buffer, sound.samples.byteOffset, sound.samples.byteLength))
  const soundIn = sound && hearing ? ['-f', 'f32le', '-ar', String(hearing.sampleRate), '-ac', String(sound.channels), '-i', raw] : []
  const tags = [
    '-metadata',
    `creation_time=${take.recordedAt}`,
    ...(take.timecode ? ['-timecode', take.timecode] : []),
    '-fflags',
    '+bitexact',
    '-flags:v',
    '+bitexact',
    '-flags:a',
    '+bitexact',
  ]
  if (!view) {
    await encode(task.ffmpeg, [...soundIn, '-c:a', 'pcm_s16le', ...tags, out], null)
  } else {
    const scene = new Scene(view, new Motion(perform(), task.voice), device.foreign === true)
    const fps = view.fps[0] / view.fps[1]
    const count = Math.floor(take.seconds * fps)
    const codec = out.endsWith('.mkv') ? ['-c:a', 'pcm_s16le'] : ['-c:a', 'aac', '-b:a', '128k']
    const args = [
      '-f',
      'rawvideo',
      '-pix_fmt',
      'rgba',
      '-s',
      `${view.width}x${view.height}`,
      '-framerate',
      `${view.fps[0]}/${view.fps[1]}`,
      '-i',
      'pipe:0',
      ...soundIn,
      '-map',
      '0:v',
      ...(sound ? ['-map', '1:a', ...codec] : []),
      '-c:v',
      'libx264',
      '-sws_flags',
      'fast_bilinear',
      '-preset',
      'ultrafast',
      '-crf',
      '21',
      '-pix_fmt',
      'yuv420p',
      '-threads',
      '1',
      '-g',
      '50',
      ...tags,
      out,
    ]
    await encode(task.ffmpeg, args, async (write) => {
      for (let n = 0; n < count; n++) await write(scene.frame(take.start + (n / fps) * take.rate))
    })
  }
  if (sound) await rm(raw)
}

async function encode(ffmpeg: string, args: string[], feed: ((write: (frame: Buffer) => Promise<void>) => Promise<void>) | null): Promise<void> {
  const child = spawn(ffmpeg, ['-v', 'error', '-y', ...args], { stdio: [feed ? 'pipe' : 'ignore', 'ignore', 'pipe'] })
  let said = ''
  child.stderr?.on('data', (chunk) => {
    said += chunk
  })
  const closed = once(child, 'close')
  if (feed && child.stdin) {
    const { stdin } = child
    stdin.on('error', () => undefined)
    // The canvas is painted again while a picture still runs through the pipe: two copies take turns, because fresh memory
    // for each picture costs more than painting it.
    const copies: Buffer[] = []
    let written: Promise<unknown> = Promise.resolve()
    let turn = 0
    await feed(async (frame) => {
      if (child.exitCode !== null) throw new Error(said)
      turn = 1 - turn
      copies[turn] ??= Buffer.alloc(frame.length)
      frame.copy(copies[turn])
      await Promise.race([written, closed])
      written = new Promise((resolve) => stdin.write(copies[turn], resolve))
    })
    await Promise.race([written, closed])
    stdin.end()
  }
  const [code] = await closed
  if (code !== 0) throw new Error(`ffmpeg could not write ${args[args.length - 1]}: ${said.slice(-400)}`)
}
