import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { SPEECH_RATE, type Span, type SpanKind } from '../../core/speech/index.ts'
import { seeded } from '../../demo/band.ts'
import { convolve, decode } from '../cases.ts'
import { type Half as PieceHalf, pieces } from '../pulse/pieces.ts'

/**
 * Evenings with known times: three people talk, each into a microphone that hears the others 12 dB lower and the room,
 * between music, applause and silence. `train` is what the kinds of sound are learnt from, `dev` what they are looked at
 * with, `test` only for testing; they share no voice, no sentence and no music. Needs espeak-ng and flite; `test` also
 * has people who read single sentences (asterisk-core-sounds-en-wav, -it-wav, -fr-wav) and songs of games.
 */
export type Half = 'train' | 'dev' | 'test'

export interface Truth {
  readonly phrases: { start: number; end: number; speaker: number }[]
  readonly spans: Span[]
}

export interface Evening {
  readonly name: string
  readonly master: string
  readonly mics: string[]
  readonly truth: Truth
}

type Random = () => number
const between = (r: Random, a: number, b: number) => a + (b - a) * r()
const pick = <T>(r: Random, list: readonly T[]): T => list[Math.floor(r() * list.length)]

const COUNTS: Record<Half, number> = { train: 36, dev: 10, test: 16 }
const SEEDS: Record<Half, number> = { train: 1000, dev: 5000, test: 9000 }

const VOICES: Record<Half, string[]> = {
  train: ['en-us', 'en-gb+m1', 'en-us+f2', 'en-gb+m7', 'en+f4', 'de+m2', 'it+f1', 'es+m3', 'pl+f3', 'flite:kal16', 'flite:awb'],
  dev: ['en-gb+m3', 'en-us+f5', 'en+m6', 'fr+f2', 'nl+m5', 'flite:rms'],
  test: ['en-gb+f1', 'en-us+m4', 'en+m8', 'en-gb-scotland+m5', 'sv+f4', 'pt+m2', 'flite:slt', 'person:en', 'person:it', 'person:fr'],
}
const SENTENCES: Record<Half, string[]> = {
  train: [
    'Good evening and welcome to the old tram depot.',
    'The last car of line seven came home at half past nine.',
    'Please keep clear of the rails while the doors are open.',
    'Our band has practised since the first snow fell.',
    'Can you hear me at the back?',
    'Nobody thought the roof would hold, and yet it did.',
    'Yes, exactly.',
    'We counted forty lamps, and only three of them were lit.',
  ],
  dev: [
    'The bell you hear was cast in this very yard.',
    'Thank you all for coming, and mind the step on your way out.',
    'I remember the winter when the wires froze.',
    'Who carried the drum up those stairs?',
    'Not me.',
    'They say the night tram never stopped at the harbour, not even once.',
  ],
  test: [
    'Tonight we light every lamp in the hall once more.',
    'My grandfather painted this car, and he painted it green.',
    'Wait, is that the one with the wooden seats?',
    'That is the one.',
    'In nineteen hundred and twelve the depot had sixty horses.',
    'You could smell the brakes from the bridge.',
    'And now, a march for all who worked the early shift!',
    'Please welcome the conductor.',
  ],
}
const PERSONS: Record<string, string> = { en: 'en_US_f_Allison', it: 'it_IT_f_Menardi', fr: 'fr_FR_f_June' }

function recordings(language: string): string[] {
  const root = '/usr/share/asterisk/sounds'
  const folder = [PERSONS[language], ...(existsSync(root) ? readdirSync(root).filter((f) => f.startsWith(language)) : [])]
    .map((f) => path.join(root, f))
    .find((f) => existsSync(f))
  if (!folder) return []
  return readdirSync(folder)
    .filter((f) => f.endsWith('.wav') && !/^(beep|silence|tt-)/.test(f))
    .sort()
    .map((f) => path.join(folder, f))
}

/** One sentence without the silence around it. */
function utterance(voice: string, half: Half, r: Random): Float32Array {
  const text = pick(r, SENTENCES[half])
  let spoken: Float32Array
  if (voice.startsWith('person:')) {
    const files = recordings(voice.slice(7))
    spoken = decode(readFileSync(pick(r, files)))
  } else if (voice.startsWith('flite:')) {
    const out = path.join('.cache', 'bench', 'flite.wav')
    spawnSync('flite', ['-voice', voice.slice(6), '-t', text, '-o', out])
    spoken = decode(out)
  } else {
    const args = ['--stdout', '-v', voice, '-s', String(Math.round(between(r, 140, 185))), '-p', String(Math.round(between(r, 30, 65))), text]
    spoken = decode(spawnSync('espeak-ng', args, { maxBuffer: 1 << 26 }).stdout)
  }
  const peak = spoken.reduce((m, x) => Math.max(m, Math.abs(x)), 1e-6)
  const loud = (x: number) => Math.abs(x) > peak * 0.02
  const from = spoken.findIndex(loud)
  const to = spoken.findLastIndex(loud) + 1
  return spoken.slice(from, to).map((x) => (0.5 * x) / peak)
}

/** Many pairs of hands, some cheers: dense, even, without a tone. */
export function applause(seconds: number, r: Random): Float32Array {
  const out = new Float32Array(Math.floor(seconds * SPEECH_RATE))
  const hands = Math.round(2 ** between(r, 3, 8))
  const kernels = Array.from({ length: 24 }, () => {
    const hz = between(r, 700, 2600)
    const decay = between(r, 0.002, 0.009) * SPEECH_RATE
    let phase = 0
    let slow = 0
    return Float32Array.from({ length: 700 }, (_, i) => {
      phase += (2 * Math.PI * hz) / SPEECH_RATE
      const noise = r() - 0.5
      slow += 0.5 * (noise - slow)
      return (0.6 * Math.sin(phase) * (r() + 0.2) + noise - 0.4 * slow) * Math.exp(-i / decay) * Math.min(1, i / 6)
    })
  })
  for (let h = 0; h < hands; h++) {
    const rate = between(r, 2.2, 4.6)
    const near = 2 ** between(r, -3, 0)
    const begins = between(r, 0, 0.8)
    const ends = seconds - between(r, 0, seconds * 0.3)
    for (let t = begins + r() / rate; t < ends; t += (1 / rate) * between(r, 0.85, 1.15)) {
      const at = Math.floor(t * SPEECH_RATE)
      const kernel = pick(r, kernels)
      const level = near * between(r, 0.6, 1)
      for (let i = 0; i < kernel.length && at + i < out.length; i++) out[at + i] += level * kernel[i]
    }
  }
  const peak = Math.sqrt(out.reduce((s, x) => s + x * x, 0) / out.length) || 1
  return out.map((x) => Math.max(-1, Math.min(1, (0.09 * x) / peak)))
}

function room(r: Random, seconds: number): Float32Array {
  const kernel = new Float32Array(Math.floor(Math.min(1.2, seconds) * SPEECH_RATE))
  for (let i = Math.floor(0.008 * SPEECH_RATE); i < kernel.length; i++) kernel[i] = (r() - 0.5) * Math.exp((-6.9 * i) / (seconds * SPEECH_RATE))
  return kernel
}

function withRoom(dry: Float32Array, kernel: Float32Array, decibels: number): Float32Array {
  const wet = convolve(dry, kernel)
  const energy = (x: Float32Array) => x.reduce((s, v) => s + v * v, 1e-9)
  const gain = Math.sqrt(energy(dry) / energy(wet)) * 10 ** (decibels / 20)
  return dry.map((x, i) => x + gain * wet[i])
}

function wave(samples: Float32Array): Buffer {
  const out = Buffer.alloc(44 + samples.length * 2)
  out.write('RIFF', 0)
  out.writeUInt32LE(36 + samples.length * 2, 4)
  out.write('WAVEfmt ', 8)
  for (const [at, value] of [
    [16, 16],
    [24, SPEECH_RATE],
    [28, SPEECH_RATE * 2],
    [40, samples.length * 2],
  ] as const)
    out.writeUInt32LE(value, at)
  for (const [at, value] of [
    [20, 1],
    [22, 1],
    [32, 2],
    [34, 16],
  ] as const)
    out.writeUInt16LE(value, at)
  out.write('data', 36)
  for (const [i, x] of samples.entries()) out.writeInt16LE(Math.round(Math.max(-1, Math.min(1, x)) * 32767), 44 + 2 * i)
  return out
}

const GAME_MUSIC = ['/usr/share/games/supertux2/music', '/usr/share/games/frozen-bubble/snd', '/usr/share/games/neverball/bgm']

function* music(half: Half, r: Random): Generator<Float32Array> {
  if (half === 'test') {
    const files = GAME_MUSIC.flatMap((f) => (existsSync(f) ? (readdirSync(f, { recursive: true }) as string[]).map((x) => path.join(f, x)) : []))
      .filter((f) => /\.(ogg|mp3)$/.test(f))
      .sort()
    for (const file of files) {
      const x = decode(file)
      if (x.length > 30 * SPEECH_RATE) yield x
    }
  }
  for (;;) for (const piece of pieces(half as PieceHalf, Math.floor(r() * 7), 7)) if (piece.truth.beats.length > 8) yield piece.samples
}

function evening(half: Half, index: number, songs: Generator<Float32Array>): { master: Float32Array; mics: Float32Array[]; truth: Truth } {
  const r = seeded(SEEDS[half] + index)
  r()
  const people = Array.from({ length: 3 }, () => pick(r, VOICES[half]))
  const kinds: SpanKind[] =
    r() < 0.5 ? ['speech', 'applause', 'music', 'applause', 'silence', 'speech'] : ['silence', 'music', 'applause', 'speech', 'music', 'speech']
  const spans: Span[] = []
  const phrases: Truth['phrases'] = []
  const placed: { at: number; x: Float32Array; who: number | null; spread: number }[] = []
  let at = between(r, 0.3, 1.5)
  spans.push({ start: 0, end: at, kind: 'silence' })
  for (const kind of kinds) {
    const start = at
    if (kind === 'silence') at += between(r, 3, 7)
    if (kind === 'applause') {
      const x = applause(between(r, 4, 9), r)
      placed.push({ at, x, who: null, spread: between(r, 0.5, 1.2) })
      at += x.length / SPEECH_RATE
    }
    if (kind === 'music') {
      const song = songs.next().value as Float32Array
      const long = Math.floor(between(r, 15, 25) * SPEECH_RATE)
      const from = Math.floor(r() * Math.max(0, song.length - long - 1))
      const x = song.slice(from, from + long)
      const loud = Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length) || 1
      placed.push({ at, x: x.map((v, i) => (0.12 * v * Math.min(1, i / 400, (x.length - i) / 4000)) / loud), who: null, spread: between(r, 0.5, 1.2) })
      at += x.length / SPEECH_RATE
    }
    if (kind === 'speech') {
      let who = Math.floor(r() * 3)
      for (let n = Math.round(between(r, 6, 11)); n > 0; n--) {
        const x = utterance(people[who], half, r)
        placed.push({ at, x, who, spread: 1 })
        phrases.push({ start: at, end: at + x.length / SPEECH_RATE, speaker: who })
        at += x.length / SPEECH_RATE + (r() < 0.2 ? between(r, 0.9, 2) : between(r, 0.35, 0.8))
        if (r() < 0.6) who = (who + 1 + Math.floor(r() * 2)) % 3
      }
      at = phrases[phrases.length - 1].end
    }
    spans.push({ start, end: at, kind })
    const gap = between(r, 0.5, 1.5)
    spans.push({ start: at, end: at + gap, kind: 'silence' })
    at += gap
  }
  const length = Math.ceil(at * SPEECH_RATE)
  const seconds = between(r, 0.3, 1.1)
  const kernels = Array.from({ length: 4 }, () => room(r, seconds))
  const bleed = 10 ** (-12 / 20)
  const hiss = 10 ** (-between(r, 52, 70) / 20)
  const gains = [0, 1, 2].map(() => 10 ** (between(r, -4, 4) / 20))
  const mics = [0, 1, 2].map((m) => {
    const dry = new Float32Array(length)
    for (const { at: t, x, who, spread } of placed) {
      const late = who === m ? 0 : 0.003 + 0.002 * m
      const gain = who === m ? 1 : who === null ? 0.35 * spread : bleed
      const from = Math.floor((t + late) * SPEECH_RATE)
      for (let i = 0; i < x.length && from + i < length; i++) dry[from + i] += gain * x[i]
    }
    return withRoom(dry, kernels[m], -between(r, 10, 16)).map((x) => gains[m] * (x + hiss * (r() - 0.5) * 2))
  })
  const all = new Float32Array(length)
  for (const { at: t, x } of placed) {
    const from = Math.floor(t * SPEECH_RATE)
    for (let i = 0; i < x.length && from + i < length; i++) all[from + i] += x[i]
  }
  // The master is the desk's sum of the microphones or a far one in the room.
  const far = withRoom(all, kernels[3], -between(r, 2, 10))
  const desk = r() < 0.5
  const master = far.map((x, i) => (desk ? 0.6 * (mics[0][i] + mics[1][i] + mics[2][i]) + 0.25 * x : 0.8 * x) + hiss * (r() - 0.5) * 2)
  return { master, mics, truth: { phrases, spans: joined(spans) } }
}

function joined(spans: Span[]): Span[] {
  const out: { start: number; end: number; kind: SpanKind }[] = []
  for (const s of spans) {
    const last = out[out.length - 1]
    if (last?.kind === s.kind) last.end = s.end
    else out.push({ ...s })
  }
  return out
}

/** Makes the evenings of a half once in a folder. */
export function makeEvenings(folder: string, half: Half): Evening[] {
  const told = path.join(folder, half, 'evenings.json')
  if (existsSync(told)) return JSON.parse(readFileSync(told, 'utf8')) as Evening[]
  mkdirSync(path.dirname(told), { recursive: true })
  const songs = music(half, seeded(SEEDS[half] + 77))
  const out: Evening[] = []
  for (let i = 0; i < COUNTS[half]; i++) {
    const { master, mics, truth } = evening(half, i, songs)
    const file = (name: string) => path.join(folder, half, `${String(i).padStart(2, '0')}-${name}.wav`)
    writeFileSync(file('master'), wave(master))
    for (const [k, mic] of mics.entries()) writeFileSync(file(`mic${k}`), wave(mic))
    out.push({ name: `${half}-${i}`, master: file('master'), mics: mics.map((_, k) => file(`mic${k}`)), truth })
  }
  writeFileSync(told, JSON.stringify(out))
  return out
}
