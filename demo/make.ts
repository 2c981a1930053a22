import { spawn } from 'node:child_process'
import { existsSync, mkdirSync } from 'node:fs'
import { rename, rm, writeFile } from 'node:fs/promises'
import os from 'node:os'
import path from 'node:path'
import { fileURLToPath } from 'node:url'
import { Piscina } from 'piscina'
import type { ArtistTask } from './artist.ts'
import { type Performance, perform } from './band.ts'
import { DEVICES } from './cameras.ts'
import { MASTER_RATE, renderMaster } from './synth.ts'

/** The folder of the sources or of the bundle, whichever runs. */
const here = path.dirname(fileURLToPath(import.meta.url))
const speechFile = [path.join(here, 'assets', 'speech.ogg'), path.join(here, '..', 'assets', 'speech.ogg')].find((f) => existsSync(f)) ?? ''

/**
 * Writes the demo show, Depot Night, into a folder: the desk mix, eight devices, one file that belongs to nothing, and
 * truth.json. The same on every machine and every run; complete or not there at all.
 */
export async function makeShow(into: string, say: (text: string) => void): Promise<void> {
  const ffmpeg = process.env.PENDOLO_FFMPEG || 'ffmpeg'
  const part = `${into}.part-${process.pid}`
  await rm(part, { recursive: true, force: true })
  mkdirSync(path.join(part, 'desk'), { recursive: true })
  try {
    say('making the demo show: the band plays')
    const show = perform()
    const speech = await decodeSpeech(ffmpeg)
    const { left, right } = renderMaster(show, speech)
    await writeMaster(ffmpeg, path.join(part, 'desk', 'desk-mix.wav'), left, right)
    const master = shared(left.map((x, i) => 0.5 * (x + right[i])))
    const voice = shared(loudness(speech))
    const tasks: ArtistTask[] = DEVICES.flatMap((device, d) =>
      device.takes.map((_, take) => ({ into: part, ffmpeg, device: d, take, master: device.foreign ? foreignSound(show) : master, voice })),
    )
    const weight = (t: ArtistTask) => DEVICES[t.device].takes[t.take].seconds * (DEVICES[t.device].view?.width ?? 0)
    tasks.sort((a, b) => weight(b) - weight(a))
    const pool = new Piscina({ filename: path.join(here, 'artist.mjs'), maxThreads: Math.max(1, Math.min(4, os.availableParallelism())) })
    let done = 0
    try {
      await Promise.all(
        tasks.map(async (task) => {
          await pool.run(task)
          done++
          say(`making the demo show: ${done} of ${tasks.length} camera files`)
        }),
      )
    } finally {
      await pool.destroy()
    }
    await writeFile(path.join(part, 'truth.json'), `${JSON.stringify(truth(show), null, 1)}\n`)
    await rm(into, { recursive: true, force: true })
    await rename(part, into)
  } finally {
    await rm(part, { recursive: true, force: true })
  }
}

function truth(show: Performance) {
  return {
    master: 'desk/desk-mix.wav',
    masterSeconds: show.seconds,
    beats: show.beats,
    downbeats: show.downbeats,
    sections: show.sections,
    clips: DEVICES.flatMap((device) =>
      device.takes.map((take) => ({
        file: `${device.folder}/${take.file}`,
        belongs: !device.foreign,
        placeableBySound: !device.foreign && device.hearing !== null,
        start: device.foreign ? null : take.start,
        rate: device.foreign ? null : take.rate,
        seconds: take.seconds,
      })),
    ),
  }
}

function shared(values: Float32Array): Float32Array {
  const out = new Float32Array(new SharedArrayBuffer(values.length * 4))
  out.set(values)
  return out
}

/** Loudness of the speech, a hundred values a second, 0..1: moves the speaker's lips. */
function loudness(speech: Float32Array): Float32Array {
  const step = MASTER_RATE / 100
  const out = new Float32Array(Math.ceil(speech.length / step))
  for (let k = 0; k < out.length; k++) {
    let peak = 0
    for (let i = k * step; i < (k + 1) * step && i < speech.length; i++) peak = Math.max(peak, Math.abs(speech[i]))
    out[k] = Math.min(1, peak * 1.4)
  }
  return out
}

/** Another tune for the file that belongs to nothing: the market's barrel organ. */
function foreignSound(show: Performance): Float32Array {
  const { left } = renderMaster(
    {
      ...show,
      seconds: 24,
      notes: show.notes
        .filter((n) => n.time > 60 && n.time < 90 && n.instrument === 'cornet')
        .map((n, i) => ({ ...n, time: i * 0.31, length: 0.28, pitch: 60 + ((n.pitch * 11 + i * 5) % 24), instrument: 'bells' as const })),
      applause: [],
      speechAt: 100,
      whistleAt: 100,
    },
    new Float32Array(0),
  )
  return shared(left)
}

function run(ffmpeg: string, args: string[], input?: Buffer): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const child = spawn(ffmpeg, ['-v', 'error', '-y', ...args], { stdio: ['pipe', 'pipe', 'inherit'] })
    const out: Buffer[] = []
    child.stdout.on('data', (chunk: Buffer) => out.push(chunk))
    child.on('error', reject)
    child.on('close', (code) => (code === 0 ? resolve(Buffer.concat(out)) : reject(new Error(`ffmpeg stopped with code ${code}`))))
    child.stdin.on('error', () => undefined)
    child.stdin.end(input)
  })
}

async function decodeSpeech(ffmpeg: string): Promise<Float32Array> {
  const bytes = await run(ffmpeg, ['-i', speechFile, '-ac', '1', '-ar', String(MASTER_RATE), '-f', 'f32le', 'pipe:1'])
  return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + (bytes.length & ~3)))
}

async function writeMaster(ffmpeg: string, file: string, left: Float32Array, right: Float32Array): Promise<void> {
  const both = new Float32Array(left.length * 2)
  for (let i = 0; i < left.length; i++) {
    both[2 * i] = left[i]
    both[2 * i + 1] = right[i]
  }
  await run(
    ffmpeg,
    ['-f', 'f32le', '-ar', String(MASTER_RATE), '-ac', '2', '-i', 'pipe:0', '-c:a', 'pcm_s16le', '-fflags', '+bitexact', file],
    Buffer.from(both.buffer),
  )
}
