import { type ChildProcess, execFileSync, spawn } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { seeded } from '../demo/band.ts'

/** An evening of hours with many cameras, made up: sounds only, since placing by sound is what is measured. */
export interface LongEvent {
  readonly master: string
  readonly cameras: { file: string; start: number; rate: number; seconds: number }[]
}

const RATE = 16000

/** Plucked notes at irregular times: nothing repeats, so that every place is its own. */
function music(seconds: number, seed: number): Int16Array {
  const random = seeded(seed)
  const out = new Int16Array(seconds * RATE)
  const wave = Float32Array.from({ length: 4096 }, (_, i) => Math.sin((2 * Math.PI * i) / 4096) + 0.5 * Math.sin((4 * Math.PI * i) / 4096))
  for (let t = 0; t < seconds; t += 0.1 + 0.3 * random()) {
    const step = ((170 * 2 ** (Math.floor(random() * 30) / 12)) / RATE) * 4096
    const from = Math.floor(t * RATE)
    let level = 7000
    for (let i = 0; i < 6000 && from + i < out.length; i++) {
      out[from + i] += level * wave[(i * step) & 4095] + (i < 300 ? 9000 * (random() - 0.5) : 0)
      level *= 0.9995
    }
  }
  return out
}

function encoder(file: string): ChildProcess {
  const args = ['-v', 'error', '-y', '-f', 's16le', '-ar', String(RATE), '-ac', '1', '-i', 'pipe:0', '-ar', '48000', '-ac', '2']
  return spawn('ffmpeg', [...args, '-c:a', 'mp2', '-b:a', '192k', file], { stdio: ['pipe', 'ignore', 'inherit'] })
}

/** What a camera heard: quieter, echoing, noisy, on its own clock; encoded while it is computed. */
async function record(master: Int16Array, file: string, start: number, rate: number, seconds: number, seed: number): Promise<void> {
  const random = seeded(seed)
  const child = encoder(file)
  const piece = 20 * RATE
  for (let from = 0; from < seconds * RATE; from += piece) {
    const out = new Int16Array(Math.min(piece, seconds * RATE - from))
    for (let i = 0; i < out.length; i++) {
      const at = start * RATE + (from + i) * rate
      const k = Math.floor(at)
      const x = at - k
      const dry = (master[k] ?? 0) * (1 - x) + (master[k + 1] ?? 0) * x
      out[i] = 0.5 * dry + 0.25 * (master[k - 900] ?? 0) + 0.15 * (master[k - 2700] ?? 0) + 1500 * (random() - 0.5)
    }
    if (!child.stdin?.write(Buffer.from(out.buffer))) await once(child.stdin as NodeJS.WritableStream, 'drain')
  }
  child.stdin?.end()
  await once(child, 'close')
}

/** Makes the event once in a folder and keeps it: encoding hours of sound takes minutes. */
export async function longEvent(folder: string, hours: number, cameras: number): Promise<LongEvent> {
  const told = path.join(folder, 'event.json')
  if (existsSync(told)) return JSON.parse(readFileSync(told, 'utf8')) as LongEvent
  rmSync(folder, { recursive: true, force: true })
  mkdirSync(folder, { recursive: true })
  const seconds = hours * 3600
  const master = music(seconds, 1)
  const masterFile = path.join(folder, 'master.mkv')
  const child = encoder(masterFile)
  child.stdin?.end(Buffer.from(master.buffer))
  await once(child, 'close')
  const random = seeded(5)
  const list = Array.from({ length: cameras }, (_, i) => ({
    file: path.join(folder, `camera-${String(i + 1).padStart(2, '0')}.mkv`),
    start: Math.round((random() * 240 - 120) * 1000) / 1000,
    rate: 1 + Math.round((random() - 0.5) * 160) * 1e-6,
    seconds: Math.round(seconds - 300 * random()),
  }))
  const queue = list.map((c, i) => ({ ...c, seed: 100 + i }))
  const lane = async () => {
    for (let c = queue.shift(); c; c = queue.shift()) await record(master, c.file, c.start, c.rate, c.seconds, c.seed)
  }
  await Promise.all([lane(), lane()])
  const event = { master: masterFile, cameras: list }
  writeFileSync(told, JSON.stringify(event))
  return event
}

/** Sum of the memory of a process and all below it, bytes, as the system counts it. */
export function memoryOf(pid: number): number {
  const table = execFileSync('ps', ['-e', '-o', 'pid=,ppid=,rss='])
    .toString()
    .trim()
    .split('\n')
    .map((l) => l.trim().split(/\s+/).map(Number))
  const below = new Set([pid])
  for (let grown = true; grown; ) {
    grown = false
    for (const [id, parent] of table)
      if (below.has(parent) && !below.has(id)) {
        below.add(id)
        grown = true
      }
  }
  return table.filter(([id]) => below.has(id)).reduce((s, [, , kb]) => s + kb * 1024, 0)
}

const CLI = ['server/dist/cli.mjs', 'line-up', '--json']

interface Answer {
  readonly clips: { file: string; placed: boolean; startSeconds: number; rate: number }[]
}

/** Runs the command line on the event. @returns what it said, how long it took, s, and the most memory of all its processes, bytes */
async function lineUp(event: LongEvent, home: string): Promise<{ answer: Answer; seconds: number; memory: number }> {
  const began = performance.now()
  const child = spawn(process.execPath, [...CLI, '--master', event.master, ...event.cameras.map((c) => c.file)], {
    env: { ...process.env, PENDOLO_HOME: home },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  let text = ''
  child.stdout.on('data', (chunk) => {
    text += chunk
  })
  let memory = 0
  const watch = setInterval(() => {
    memory = Math.max(memory, memoryOf(child.pid as number))
  }, 500)
  const [code] = (await once(child, 'close')) as [number | null]
  clearInterval(watch)
  if (code !== 0) throw new Error(`lining up the long event ended with code ${code}`)
  return { answer: JSON.parse(text) as Answer, seconds: (performance.now() - began) / 1000, memory }
}

/** Hours of many cameras: time against merely decoding the same sound, memory, and a second run with sounds kept. */
export async function benchLong(folder: string, hours: number, cameras: number): Promise<void> {
  const event = await longEvent(folder, hours, cameras)
  const files = [event.master, ...event.cameras.map((c) => c.file)]
  const decodeOne = (file: string) =>
    spawn('ffmpeg', ['-v', 'error', '-nostdin', '-i', file, '-ac', '1', '-ar', '8000', '-f', 's16le', '-y', '/dev/null'], { stdio: 'inherit' })
  let began = performance.now()
  for (const file of files) await once(decodeOne(file), 'close')
  const decode = (performance.now() - began) / 1000
  began = performance.now()
  const queue = [...files]
  const lane = async () => {
    for (let file = queue.shift(); file; file = queue.shift()) await once(decodeOne(file), 'close')
  }
  await Promise.all([lane(), lane()])
  const decodeTwo = (performance.now() - began) / 1000
  console.log(
    `baseline: ffmpeg decodes ${files.length} files of ${hours} h to 8 kHz mono in ${decode.toFixed(0)} s one by one, ${decodeTwo.toFixed(0)} s two at a time`,
  )
  const home = path.join(folder, 'home')
  rmSync(home, { recursive: true, force: true })
  const first = await lineUp(event, home)
  const second = await lineUp(event, home)
  let worst = 0
  let drift = 0
  let placed = 0
  for (const [i, truth] of event.cameras.entries()) {
    const found = first.answer.clips[i]
    if (!found.placed) continue
    placed++
    for (const t of [0, truth.seconds]) worst = Math.max(worst, Math.abs(found.startSeconds + found.rate * t - truth.start - truth.rate * t))
    drift = Math.max(drift, Math.abs(found.rate - truth.rate) * 1e6)
  }
  console.log(
    `line up: ${hours} h, ${cameras} cameras: ${(first.seconds / decode).toFixed(2)} × decoding one by one, ${(first.seconds / decodeTwo).toFixed(2)} × two at a time (${first.seconds.toFixed(0)} s)`,
  )
  console.log(
    `line up: most memory of all processes ${(first.memory / 1e6).toFixed(0)} MB; second run with sounds kept ${second.seconds.toFixed(1)} s, ${(second.memory / 1e6).toFixed(0)} MB`,
  )
  console.log(`line up: ${placed} of ${cameras} placed; worst error at an end ${(worst * 1000).toFixed(2)} ms, worst drift error ${drift.toFixed(2)} ppm`)
}
