import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { PULSE_RATE } from '../../core/pulse/index.ts'
import { seeded } from '../../demo/band.ts'
import { convolve, decode, speech } from '../cases.ts'
import { groovePiece, grooves } from './grooves.ts'
import { madePiece } from './made.ts'
import { plainly } from './plain.ts'
import { midiOf, type Score, type Truth, truthOf } from './score.ts'
import { keepsItsBeats, midiTruth, songs } from './songs.ts'

/**
 * Music with exact beats: made pieces, accompaniments and songs of free packages, played by several sound fonts into
 * rooms with noise. `train` and `plain` (played by bare oscillators, so that no kind of instrument is taken for music itself) are what the network learns from, `dev` what it is looked at with, `test` only for testing,
 * and so is `hall`, where all stands far away in a reverberant room. They share no seed, no family of grooves and no song; the songs are not learnt from at all.
 */
export type Half = 'train' | 'plain' | 'dev' | 'test' | 'hall'

export interface Piece {
  readonly name: string
  readonly samples: Float32Array
  readonly truth: Truth
}

type Random = () => number
const between = (r: Random, a: number, b: number) => a + (b - a) * r()
const pick = <T>(r: Random, list: readonly T[]): T => list[Math.floor(r() * list.length)]

const OSCILLATORS = 'oscillators'

/** apt-get install fluid-soundfont-gm timgm6mb-soundfont csound-soundfont opl3-soundfont */
const FONTS: Record<Half, string[]> = {
  train: ['FluidR3_GM.sf2', 'TimGM6mb.sf2', 'sf_GMbank.sf2'],
  plain: [OSCILLATORS],
  dev: ['FluidR3_GM.sf2', 'TimGM6mb.sf2', 'sf_GMbank.sf2', 'OPL-3_FM_128M.sf2'],
  test: ['FluidR3_GM.sf2', 'TimGM6mb.sf2', 'sf_GMbank.sf2', 'OPL-3_FM_128M.sf2'],
  hall: ['FluidR3_GM.sf2', 'TimGM6mb.sf2', 'sf_GMbank.sf2', 'OPL-3_FM_128M.sf2'],
}

const SECONDS = 60
const COUNTS: Record<Half, { made: number; grooves: number; none: number }> = {
  train: { made: 260, grooves: 130, none: 24 },
  plain: { made: 100, grooves: 0, none: 0 },
  dev: { made: 16, grooves: 16, none: 4 },
  test: { made: 40, grooves: 40, none: 8 },
  hall: { made: 24, grooves: 24, none: 0 },
}
const SEEDS: Record<Half, number> = { train: 210_000, plain: 230_000, dev: 50_000, test: 90_000, hall: 110_000 }

function* scores(half: Half): Generator<{ name: string; midi: Uint8Array | null; score?: Score; truth: Truth }> {
  const count = COUNTS[half]
  for (let i = 0; i < count.made; i++) {
    const score = madePiece(SEEDS[half] + i, SECONDS)
    yield { name: score.name, midi: midiOf(score), score, truth: truthOf(score) }
  }
  const families = [...new Set(grooves().map((g) => g.family))]
  const mine = grooves().filter((g) => ['train', 'train', 'train', 'dev', 'test', 'test'][families.indexOf(g.family) % 6] === (half === 'hall' ? 'test' : half))
  const r = seeded(SEEDS[half] + 7)
  for (let i = 0; i < count.grooves && mine.length > 0; i++) {
    const groove = mine[Math.floor(r() * mine.length)]
    const piece = groovePiece(groove, SEEDS[half] + 1000 + i, SECONDS)
    if (piece) yield { name: `groove-${i}-${groove.name}`, ...piece }
  }
  for (let i = 0; i < count.none; i++) yield { name: `none-${i}`, midi: null, truth: { beats: [], downbeats: [], metre: 4 } }
  for (const [i, song] of songs().entries())
    if (half !== 'train' && half !== 'plain' && (i % 3 === 0) === (half === 'dev'))
      yield { name: `song-${song.name}`, midi: song.midi, truth: midiTruth(song.midi, 4, SECONDS + 30) }
}

function render(midi: Uint8Array, font: string, seconds: number): Float32Array {
  const folder = mkdtempSync(path.join(os.tmpdir(), 'pendolo-piece-'))
  try {
    writeFileSync(path.join(folder, 'a.mid'), midi)
    const out = path.join(folder, 'a.wav')
    execFileSync(
      'fluidsynth',
      [
        '-ni',
        '-q',
        '-o',
        'synth.dynamic-sample-loading=1',
        '-R',
        '0',
        '-C',
        '0',
        '-g',
        '0.6',
        '-r',
        '32000',
        '-F',
        out,
        `/usr/share/sounds/sf2/${font}`,
        path.join(folder, 'a.mid'),
      ],
      { stdio: 'ignore' },
    )
    return decode(out).slice(0, seconds * PULSE_RATE)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/** Adds a room's decaying sound: how long it takes to fall by 60 dB, its level beside the direct sound, and when it begins, s. */
function reverberant(dry: Float32Array, seconds: number, decibels: number, late: number, seed: number): Float32Array {
  const kernel = new Float32Array(Math.floor(Math.min(2, seconds) * PULSE_RATE))
  const noise = seeded(seed + 3)
  for (let i = Math.floor(late * PULSE_RATE); i < kernel.length; i++) kernel[i] = (noise() - 0.5) * Math.exp((-6.9 * i) / (seconds * PULSE_RATE))
  const wet = convolve(dry, kernel)
  const energy = (s: Float32Array) => s.reduce((sum, v) => sum + v * v, 1e-9)
  const gain = Math.sqrt(energy(dry) / energy(wet)) * 10 ** (decibels / 20)
  return dry.map((v, i) => v + gain * wet[i])
}

/** A room, noise and a leaning of the tone, as a desk, a recorder or a far microphone gives. */
function placed(dry: Float32Array, r: Random, seed: number, hall: boolean): Float32Array {
  let x: Float32Array = dry
  const peak = x.reduce((m, v) => Math.max(m, Math.abs(v)), 1e-3)
  const level = between(r, 0.12, 0.9) / peak
  if (hall) x = reverberant(x, between(r, 1.4, 3.2), between(r, -4, 5), between(r, 0.01, 0.04), seed)
  else if (r() < 0.55) x = reverberant(x, between(r, 0.15, 1.4), -between(r, 2, 14), 0.004, seed)
  const tilt = between(r, -0.35, 0.35)
  const hiss = r() < 0.4 ? 10 ** (-between(r, 25, 50) / 20) : 10 ** (-between(r, 55, 75) / 20)
  const noise = seeded(seed + 5)
  let before = 0
  return x.map((v) => {
    const y = v + tilt * before
    before = v
    return Math.max(-1, Math.min(1, y * level + hiss * (noise() - 0.5) * 2))
  })
}

/** Sounds without a pulse: speech, noise that swells, clapping, next to nothing. */
function pulseless(seed: number): Float32Array {
  const r = seeded(seed)
  const kind = seed % 4
  if (kind === 0) return speech(SECONDS, seed)
  const out = new Float32Array(SECONDS * PULSE_RATE)
  let swell = 0.1
  for (let i = 0; i < out.length; i++) {
    if (i % 800 === 0) swell = Math.max(0.002, Math.min(0.3, swell * (1 + 0.3 * (r() - 0.5))))
    out[i] = kind === 3 ? 0.0004 * (r() - 0.5) : swell * (r() - 0.5)
  }
  if (kind === 2)
    for (let clap = 0; clap < SECONDS * 60; clap++) {
      const at = Math.floor(r() * out.length)
      const loud = between(r, 0.02, 0.25)
      for (let i = 0; i < 500 && at + i < out.length; i++) out[at + i] += loud * (r() - 0.5) * Math.exp(-i / 90)
    }
  return out
}

/** The pieces of a half one after the other: all, or every so many-th from one on. */
export function* pieces(half: Half, from: number, every: number): Generator<Piece> {
  let k = 0
  for (const { name, midi, score, truth } of scores(half)) {
    const seed = SEEDS[half] + 20_000 + k
    const r = seeded(seed)
    r()
    k++
    if (k % every !== from) continue
    if (midi && name.startsWith('song-') && !keepsItsBeats(midi)) continue
    if (!midi) {
      yield { name, samples: pulseless(seed), truth }
      continue
    }
    const font = pick(r, FONTS[half])
    const dry = font === OSCILLATORS && score ? plainly(score, SECONDS, seed) : render(midi, font, SECONDS)
    // The music starts somewhere.
    const lead = Math.floor(between(r, 0, 2.5) * PULSE_RATE)
    const sounding = new Float32Array(Math.min(SECONDS * PULSE_RATE, lead + dry.length))
    sounding.set(dry.subarray(0, sounding.length - lead), lead)
    const late = lead / PULSE_RATE
    const end = sounding.length / PULSE_RATE
    const hall = half === 'hall' || ((half === 'train' || half === 'plain') && k % 3 === 0)
    const moved = (times: number[]) => times.map((t) => t + late).filter((t) => t < end)
    yield { name, samples: placed(sounding, r, seed, hall), truth: { beats: moved(truth.beats), downbeats: moved(truth.downbeats), metre: truth.metre } }
  }
}

export interface Kept {
  readonly name: string
  readonly file: string
  readonly truth: Truth
}

/** Makes pieces once in a folder; `keep` writes what is to be kept of each. */
export function keepPieces(folder: string, half: Half, keep: (piece: Piece, file: string) => void, from = 0, every = 1): void {
  const told = path.join(folder, half, `pieces-${from}-${every}.json`)
  mkdirSync(path.dirname(told), { recursive: true })
  if (existsSync(told)) return
  const out: Kept[] = []
  for (const piece of pieces(half, from, every)) {
    const file = path.join(folder, half, `${from}-${String(out.length).padStart(3, '0')}`)
    keep(piece, file)
    out.push({ name: piece.name, file, truth: piece.truth })
    if (out.length % 20 === 0) console.log(`${half}: ${out.length} pieces`)
  }
  writeFileSync(told, JSON.stringify(out))
}
