import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { inverseReal, powerOfTwo, realSpectrum } from '../core/signal/index.ts'
import { seeded } from '../demo/band.ts'

/**
 * Cases for placing by sound: masters of several kinds, and for each what cameras may have made of it, with known truth.
 * Everything follows from seeds. Music of Debian's packages is used where it is installed (apt-get install
 * supertux-data frozen-bubble-data neverball-data); the rest is made here. Speech needs espeak-ng.
 */
export interface Case {
  readonly file: string
  /** Why it belongs nowhere; null when it belongs. */
  readonly foreign: string | null
  readonly start: number
  readonly rate: number
  readonly seconds: number
  readonly what: string
}

export interface CaseSet {
  readonly name: string
  readonly master: string
  readonly masterSeconds: number
  readonly cases: Case[]
}

export const RATE = 16000
const PACKAGES = ['/usr/share/games/supertux2/music', '/usr/share/games/frozen-bubble/snd', '/usr/share/games/neverball/bgm']

export type Random = () => number
export const between = (r: Random, a: number, b: number) => a + (b - a) * r()
export const pick = <T>(r: Random, list: readonly T[]): T => list[Math.floor(r() * list.length)]

function note(out: Float32Array, at: number, hz: number, seconds: number, level: number, r: Random): void {
  const from = Math.floor(at * RATE)
  const n = Math.floor(seconds * RATE)
  for (let i = 0; i < n && from + i < out.length; i++) {
    const x = (2 * Math.PI * hz * i) / RATE
    const fade = Math.exp((-4 * i) / n) * Math.min(1, (n - i) / 200)
    out[from + i] += level * fade * (Math.sin(x) + 0.4 * Math.sin(2 * x) + 0.2 * Math.sin(3 * x) + (i < 150 ? 0.8 * (r() - 0.5) : 0))
  }
}

/** A tune over chords that never comes back the same. */
export function tune(seconds: number, seed: number, tempo: number): Float32Array {
  const r = seeded(seed)
  const out = new Float32Array(seconds * RATE)
  const beat = 60 / tempo
  for (let b = 0; b * beat < seconds - 1; b++) {
    const root = 110 * 2 ** (pick(r, [0, 2, 4, 5, 7, 9]) / 12)
    const at = b * beat + 0.004 * (r() - 0.5)
    note(out, at, root / 2, beat, 0.25, r)
    for (const step of [0, 4, 7]) note(out, at, root * 2 ** (step / 12), beat, 0.06, r)
    for (const part of [0, 0.25, 0.5, 0.75])
      if (r() < 0.55) note(out, at + part * beat, 2 * root * 2 ** (pick(r, [0, 2, 4, 7, 9, 12]) / 12), beat * 0.6, 0.14, r)
  }
  return out
}

/** Four bars over and over; each time a few small notes differ. */
export function loop(seconds: number, seed: number, tempo: number): Float32Array {
  const r = seeded(seed)
  const beat = 60 / tempo
  const length = 16 * beat
  const out = new Float32Array(seconds * RATE)
  const pattern = Array.from({ length: 64 }, () => (r() < 0.5 ? pick(r, [220, 277, 330, 440, 554]) : 0))
  for (let from = 3; from < seconds; from += length) {
    for (const [i, hz] of pattern.entries()) if (hz > 0) note(out, from + (i * beat) / 4, hz, beat * 0.4, 0.15, seeded(seed + i))
    for (let b = 0; b < 16; b++) note(out, from + b * beat, b % 2 === 0 ? 60 : 190, 0.12, 0.3, seeded(seed + 100 + b))
    for (let k = 0; k < 6; k++) note(out, from + Math.floor(r() * 64) * (beat / 4), pick(r, [660, 880, 990]), beat * 0.3, 0.06, r)
  }
  return out
}

const SENTENCES = [
  'Good evening and welcome to the old tram depot.',
  'The last car of line seven came home at half past nine.',
  'Please keep clear of the rails while the doors are open.',
  'Our band has practised since the first snow fell.',
  'The bell you hear was cast in this very yard.',
  'Thank you all for coming, and mind the step on your way out.',
  'Nobody thought the roof would hold, and yet it did.',
  'Tonight we light every lamp in the hall once more.',
]

export function speech(seconds: number, seed: number): Float32Array {
  const r = seeded(seed)
  const out = new Float32Array(seconds * RATE)
  for (let at = 2; at < seconds - 8; ) {
    const text = pick(r, SENTENCES)
    const args = [
      '--stdout',
      '-v',
      pick(r, ['en', 'en+f3', 'en+m4']),
      '-s',
      String(Math.round(between(r, 135, 180))),
      '-p',
      String(Math.round(between(r, 30, 70))),
      text,
    ]
    const spoken = decode(spawnSync('espeak-ng', args, { maxBuffer: 1 << 26 }).stdout)
    for (let i = 0; i < spoken.length && Math.floor(at * RATE) + i < out.length; i++) out[Math.floor(at * RATE) + i] += 0.7 * spoken[i]
    at += spoken.length / RATE + between(r, 0.4, 3)
  }
  return out
}

export function decode(input: Buffer | string): Float32Array {
  const args = ['-v', 'error', '-i', typeof input === 'string' ? input : 'pipe:0', '-ac', '1', '-ar', String(RATE), '-f', 'f32le', 'pipe:1']
  const bytes = execFileSync('ffmpeg', args, { maxBuffer: 1 << 30, ...(typeof input === 'string' ? {} : { input }) })
  return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + (bytes.length & ~3)))
}

export function convolve(signal: Float32Array, kernel: Float32Array): Float32Array {
  const size = powerOfTwo(kernel.length * 4)
  const step = size - kernel.length
  const k = realSpectrum(kernel, size)
  const out = new Float32Array(signal.length)
  for (let from = 0; from < signal.length; from += step) {
    const s = realSpectrum(signal.subarray(from, from + step), size)
    for (let i = 0; i < s.re.length; i++) {
      const re = s.re[i] * k.re[i] - s.im[i] * k.im[i]
      s.im[i] = s.re[i] * k.im[i] + s.im[i] * k.re[i]
      s.re[i] = re
    }
    const y = inverseReal(s)
    for (let i = 0; i < size && from + i < out.length; i++) out[from + i] += y[i]
  }
  return out
}

export function power(x: Float32Array): number {
  return x.reduce((s, v) => s + v * v, 0) / Math.max(1, x.length)
}

/** What a camera's microphone made of it; returns what was done in words. */
function degrade(dry: Float32Array, r: Random): { samples: Float32Array; what: string } {
  const did: string[] = []
  let x = dry
  if (r() < 0.8) {
    const rt = between(r, 0.2, 2.5)
    const ratio = between(r, -3, 12)
    const kernel = new Float32Array(Math.floor(Math.min(1.5, rt) * RATE))
    for (let i = Math.floor(0.003 * RATE); i < kernel.length; i++) kernel[i] = (r() - 0.5) * Math.exp((-6.9 * i) / (rt * RATE))
    const wet = convolve(x, kernel)
    const gain = Math.sqrt(power(x) / Math.max(1e-12, power(wet))) * 10 ** (-ratio / 20)
    x = x.map((v, i) => v + gain * wet[i])
    did.push(`room ${rt.toFixed(1)} s at ${ratio.toFixed(0)} dB`)
  }
  if (r() < 0.35) {
    let low = 0
    let high = 0
    x = x.map((v) => {
      low += 0.72 * (v - low)
      high += 0.13 * (low - high)
      return low - high
    })
    did.push('phone')
  }
  const snr = r() < 0.25 ? between(r, -3, 3) : between(r, 3, 25)
  const noise = new Float32Array(x.length)
  const wind = r() < 0.2
  let brown = 0
  for (let i = 0; i < noise.length; i++) {
    brown = 0.995 * brown + (r() - 0.5)
    noise[i] = wind ? brown : r() - 0.5 + 0.1 * brown
  }
  const gain = Math.sqrt(power(x) / power(noise)) * 10 ** (-snr / 20)
  x = x.map((v, i) => v + gain * noise[i])
  did.push(`${wind ? 'wind' : 'noise'} ${snr.toFixed(0)} dB`)
  if (r() < 0.4) {
    let level = 0.05
    const target = between(r, 0.1, 0.3)
    x = x.map((v) => {
      level += (Math.abs(v) > level ? 40 : 1.5) * ((Math.abs(v) - level) / RATE)
      return v * (target / Math.max(0.02, level)) ** 0.7
    })
    did.push('pumping')
  }
  const peak = Math.max(
    1e-6,
    x.reduce((m, v) => Math.max(m, Math.abs(v)), 0),
  )
  const over = r() < 0.25 ? between(r, 1.5, 6) : between(r, 0.2, 0.9)
  if (over > 1) did.push(`overloaded ${over.toFixed(1)}×`)
  const sign = r() < 0.2 ? -1 : 1
  if (sign < 0) did.push('turned')
  return { samples: x.map((v) => Math.max(-0.98, Math.min(0.98, (sign * v * over) / peak))), what: did.join(', ') }
}

const FORMATS: readonly (readonly [string, ...string[]])[] = [
  ['m4a', '-c:a', 'aac', '-b:a', '128k'],
  ['mp4', '-c:a', 'aac', '-b:a', '48k'],
  ['wav', '-c:a', 'pcm_s16le'],
  ['mov', '-c:a', 'pcm_s16le'],
  ['mp3', '-c:a', 'libmp3lame', '-b:a', '48k'],
  ['mkv', '-c:a', 'pcm_s16le'],
]

function write(file: string, samples: Float32Array, args: readonly string[], r: Random): void {
  const layout = pick(r, ['mono', 'stereo', 'left'])
  const pan = layout === 'mono' ? [] : ['-af', layout === 'left' ? 'pan=stereo|c0=c0|c1=0*c0' : 'pan=stereo|c0=c0|c1=0.8*c0']
  const rate = String(pick(r, [32000, 44100, 48000]))
  execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'f32le', '-ar', String(RATE), '-ac', '1', '-i', 'pipe:0', ...pan, '-ar', rate, ...args, file], {
    input: Buffer.from(samples.buffer, samples.byteOffset, samples.byteLength),
  })
}

export function play(master: Float32Array, start: number, rate: number, seconds: number): Float32Array {
  const out = new Float32Array(Math.floor(seconds * RATE))
  for (let i = 0; i < out.length; i++) {
    const at = start * RATE + i * rate
    const k = Math.floor(at)
    const x = at - k
    const [a, b, c, d] = [master[k - 1] ?? 0, master[k] ?? 0, master[k + 1] ?? 0, master[k + 2] ?? 0]
    out[i] = b + 0.5 * x * (c - a + x * (2 * a - 5 * b + 4 * c - d + x * (3 * (b - c) + d - a)))
  }
  return out
}

/** Makes all sets once in a folder and keeps them. `half` 0 is for developing, 1 for testing only. */
export function makeCases(folder: string, half: 0 | 1): CaseSet[] {
  const told = path.join(folder, 'cases.json')
  if (existsSync(told)) return JSON.parse(readFileSync(told, 'utf8')) as CaseSet[]
  rmSync(folder, { recursive: true, force: true })
  const base = 1000 + 5000 * half
  const masters: { name: string; samples: Float32Array; other: Float32Array }[] = [
    { name: 'tune', samples: tune(200, base + 1, 104), other: tune(120, base + 1, 111) },
    { name: 'quick', samples: tune(240, base + 2, 152), other: tune(120, base + 2, 146) },
    { name: 'loop', samples: loop(180, base + 3, 124), other: loop(90, base + 13, 118) },
    { name: 'speech', samples: speech(200, base + 4), other: speech(60, base + 14) },
  ]
  const music = PACKAGES.filter((p) => existsSync(p)).flatMap((p) => readdirSync(p, { recursive: true }).map((f) => path.join(p, String(f))))
  const files = music
    .filter((f) => /\.(ogg|mp3)$/.test(f))
    .sort()
    .filter((_, i) => i % 2 === half)
  const long = files.map((f) => ({ f, samples: decode(f) })).filter((x) => x.samples.length > 50 * RATE)
  for (const [i, { f, samples }] of long.slice(0, 6).entries())
    masters.push({
      name: path.basename(f).replace(/\W+/g, '-'),
      samples: samples.subarray(0, 240 * RATE),
      other: long[(i + 1) % long.length].samples.subarray(0, 90 * RATE),
    })
  const sets: CaseSet[] = []
  for (const [m, { name, samples, other }] of masters.entries()) {
    const r = seeded(base + 77 * (m + 1))
    const into = path.join(folder, name)
    mkdirSync(into, { recursive: true })
    const master = path.join(into, 'master.wav')
    write(master, samples, ['-c:a', 'pcm_s16le'], () => 0)
    const masterSeconds = samples.length / RATE
    const cases: Case[] = []
    for (let k = 0; k < 26; k++) {
      const foreign = k % 6 === 5 ? pick(r, ['other', 'noise', 'silence']) : null
      const speed = name !== 'speech' && name !== 'loop' && k % 9 === 4 ? pick(r, [1.5, 1.25, 25 / 24, 0.8]) : 1
      const rate = speed * (1 + between(r, -80e-6, 80e-6))
      const seconds = k % 7 === 0 ? between(r, 6, 9) : between(r, 12, 90)
      const span = seconds * rate
      let start =
        k % 8 === 3
          ? -span * between(r, 0.2, 0.5)
          : k % 8 === 6
            ? masterSeconds - span * between(r, 0.5, 0.8)
            : between(r, 0, Math.max(1, masterSeconds - span))
      const sounding = (from: number) => power(play(samples, from, rate, seconds)) > 0.05 * power(samples)
      for (let tries = 0; !foreign && tries < 20 && !sounding(start); tries++) start = between(r, 0, Math.max(1, masterSeconds - span))
      const dry =
        foreign === 'other'
          ? play(other, between(r, 0, 30), 1, Math.min(seconds, 50))
          : foreign === 'noise'
            ? new Float32Array(Math.floor(seconds * RATE)).map(() => 0.2 * (r() - 0.5))
            : foreign === 'silence'
              ? new Float32Array(Math.floor(seconds * RATE))
              : play(samples, start, rate, seconds)
      const { samples: heard, what } = foreign === 'silence' ? { samples: dry, what: '' } : degrade(dry, r)
      const [ending, ...args] = pick(r, FORMATS)
      const file = path.join(into, `clip-${String(k).padStart(2, '0')}.${ending}`)
      write(file, heard, args, r)
      cases.push({ file, foreign, start, rate, seconds: dry.length / RATE, what: `${speed !== 1 ? `speed ${speed.toFixed(3)}, ` : ''}${what}, ${ending}` })
    }
    sets.push({ name, master, masterSeconds, cases })
  }
  writeFileSync(told, JSON.stringify(sets, null, 1))
  return sets
}

interface Answer {
  readonly clips: { placed: boolean; startSeconds: number | null; rate: number; verdict: string; why: string }[]
}

/** Runs the command line on all cases and prints how it did. */
export function benchCases(folder: string, half: 0 | 1): void {
  const sets = makeCases(folder, half)
  const home = path.join(folder, 'home')
  const total = { belongs: 0, ms5: 0, ms1: 0, missed: 0, wrong: 0, foreign: 0, locked: 0 }
  for (const set of sets) {
    const run = spawnSync(process.execPath, ['server/dist/cli.mjs', 'line-up', '--json', '--master', set.master, ...set.cases.map((c) => c.file)], {
      env: { ...process.env, PENDOLO_HOME: home },
      maxBuffer: 1 << 26,
      stdio: ['ignore', 'pipe', 'inherit'],
    })
    if (run.status !== 0) throw new Error(`lining up ${set.name} ended with code ${run.status}`)
    const { clips } = JSON.parse(run.stdout.toString()) as Answer
    const bad: string[] = []
    for (const [i, one] of set.cases.entries()) {
      const found = clips[i]
      const name = `${set.name}/${path.basename(one.file)} (${one.foreign ?? ''}${one.what})`
      if (one.foreign) {
        total.foreign++
        if (found.placed) {
          total.locked++
          bad.push(`FALSE LOCK ${name}: ${found.why}`)
        }
        continue
      }
      total.belongs++
      if (!found.placed || found.startSeconds === null) {
        total.missed++
        bad.push(`missed ${name}: ${found.verdict}, ${found.why}`)
        continue
      }
      const from = Math.max(0, -one.start / one.rate)
      const to = Math.min(one.seconds, (set.masterSeconds - one.start) / one.rate)
      const off = Math.max(...[from, (from + to) / 2, to].map((t) => Math.abs((found.startSeconds as number) + found.rate * t - one.start - one.rate * t)))
      if (off <= 0.005) total.ms5++
      if (off <= 0.001) total.ms1++
      else bad.push(`${off > 0.04 ? 'WRONG' : 'inexact'} ${(off * 1000).toFixed(2)} ms ${name}: ${found.why}`)
      if (off > 0.04) total.wrong++
    }
    console.log(`${set.name}: ${set.cases.length} clips, ${bad.length} not within 1 ms or locked falsely`)
    for (const line of bad) console.log(`   ${line}`)
  }
  const share = (n: number) => `${((100 * n) / total.belongs).toFixed(1)} %`
  console.log(
    `placing, half ${half}: ${total.belongs} clips that belong: ${share(total.ms5)} within 5 ms, ${share(total.ms1)} within 1 ms, ${total.missed} missed, ${total.wrong} wrong; ${total.locked} of ${total.foreign} others locked falsely`,
  )
}
