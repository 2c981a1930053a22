import { heard, placeBySound, SoundReference } from '../core/lineup/index.ts'
import { ANALYSIS_RATE, inverseReal, powerOfTwo, realSpectrum } from '../core/signal/index.ts'
import { seeded } from '../demo/band.ts'

/**
 * Short clips of music that repeats itself, beside short excerpts of it as masters: wholly inside, reaching over an end, or
 * lying where the master has nothing. What cannot be told must not be called sure.
 */
const RATE = ANALYSIS_RATE
/** Seconds that master and clip must share for the case to be decidable. */
const SHARED = 6

type Random = () => number
const between = (r: Random, a: number, b: number) => a + (b - a) * r()
const pick = <T>(r: Random, list: readonly T[]): T => list[Math.floor(r() * list.length)]
/** About normal, spread 1. */
const normal = (r: Random) => r() + r() + r() + r() + r() + r() - 3

interface Voice {
  readonly hz: number
  readonly level: number
  readonly seconds: number
  readonly noise: number
}

function strike(out: Float32Array, at: number, { hz, level, seconds, noise }: Voice, r: Random): void {
  const from = Math.round(at * RATE)
  const n = Math.floor(seconds * RATE)
  for (let i = 0; i < n && from + i < out.length; i++) {
    if (from + i < 0) continue
    const x = (2 * Math.PI * hz * i) / RATE
    out[from + i] += level * Math.exp((-5 * i) / n) * ((1 - noise) * (Math.sin(x) + 0.4 * Math.sin(2 * x) + 0.15 * Math.sin(3 * x)) + noise * 2 * (r() - 0.5))
  }
}

/** How much of a passage that comes again differs: a machine's bars are the same, people never play twice alike. */
const PLAYERS = {
  machine: { timing: 0, touch: 0, free: 0 },
  tight: { timing: 0.003, touch: 0.15, free: 0.1 },
  loose: { timing: 0.012, touch: 0.35, free: 0.35 },
} as const
type Player = keyof typeof PLAYERS

/** A piece of `bars` bars that come again and again. */
function piece(seconds: number, seed: number, player: Player): Float32Array {
  const r = seeded(seed)
  const { timing, touch, free } = PLAYERS[player]
  // A machine's bars are the same to the sample.
  const beat = (4 * Math.round((RATE * 15) / between(r, 84, 150))) / RATE
  const bars = pick(r, [1, 2, 4])
  const scale = [0, 3, 5, 7, 10, 12].map((s) => 220 * 2 ** (s / 12))
  const written = Array.from({ length: bars * 16 }, () => (r() < 0.45 ? pick(r, scale) : 0))
  const roots = Array.from({ length: bars }, () => pick(r, scale) / 4)
  const out = new Float32Array(seconds * RATE)
  const played = (at: number, voice: Voice) =>
    strike(out, at + timing * normal(r), { ...voice, level: voice.level * (1 + touch * normal(r) * 0.5) }, player === 'machine' ? seeded(7) : r)
  for (let bar = 0; bar * 4 * beat < seconds; bar++) {
    const own = bar % bars
    for (let b = 0; b < 4; b++) {
      const at = (bar * 4 + b) * beat
      played(at, { hz: b % 2 === 0 ? 58 : 190, level: 0.5, seconds: 0.18, noise: b % 2 === 0 ? 0.1 : 0.6 })
      played(at + beat / 2, { hz: 3000, level: 0.12, seconds: 0.05, noise: 0.95 })
      if (b % 2 === 0) played(at, { hz: roots[own], level: 0.3, seconds: beat * 1.6, noise: 0 })
      for (let k = 0; k < 4; k++) {
        const hz = r() < free ? (r() < 0.4 ? pick(r, scale) * 2 : 0) : written[own * 16 + b * 4 + k]
        if (hz > 0) played(at + (k * beat) / 4, { hz, level: 0.16, seconds: beat * 0.5, noise: 0.02 })
      }
    }
  }
  return out
}

/** As a camera in a room hears it: later echoes, a narrower band, noise. */
function inRoom(sound: Float32Array, r: Random, noiseDb: number): Float32Array {
  const size = powerOfTwo(sound.length + RATE)
  const answer = new Float32Array(RATE)
  answer[0] = 1
  const long = between(r, 0.15, 0.7)
  for (let i = 60; i < answer.length; i++) answer[i] = between(r, 0.1, 0.35) * normal(r) * Math.exp((-6.9 * i) / (long * RATE)) * 0.25
  const [a, b] = [realSpectrum(sound, size), realSpectrum(answer, size)]
  const low = between(r, 80, 250) * (size / RATE)
  for (let k = 0; k <= size / 2; k++) {
    const shelf = k < low ? (k / low) ** 2 : 1
    const re = (a.re[k] * b.re[k] - a.im[k] * b.im[k]) * shelf
    a.im[k] = (a.re[k] * b.im[k] + a.im[k] * b.re[k]) * shelf
    a.re[k] = re
  }
  const out = Float32Array.from(inverseReal(a).subarray(0, sound.length))
  const level = Math.sqrt(out.reduce((s, x) => s + x * x, 0) / out.length)
  for (let i = 0; i < out.length; i++) out[i] += level * 10 ** (noiseDb / 20) * normal(r)
  return out
}

interface Count {
  cases: number
  decidable: number
  placed: number
  wrong: string[]
}

/** @param count cases in all */
export function benchRepeats(count = 1000): void {
  const counts = new Map<string, Count>()
  for (let n = 0; n < count; n++) {
    const r = seeded(90_000 + n)
    const player = pick(r, ['machine', 'tight', 'tight', 'loose', 'loose'] as const)
    const lie = pick(r, ['inside', 'inside', 'over the end', 'over the beginning', 'elsewhere'] as const)
    const masterSeconds = between(r, 25, 60)
    const seconds = between(r, 8, 18)
    const whole = piece(150, 7000 + n, player)
    const masterFrom = 40
    const from =
      lie === 'inside'
        ? masterFrom + between(r, 0, masterSeconds - seconds)
        : lie === 'over the end'
          ? masterFrom + masterSeconds - between(r, 2, seconds - 1)
          : lie === 'over the beginning'
            ? masterFrom - seconds + between(r, 2, seconds - 1)
            : pick(r, [masterFrom - seconds - between(r, 1, 15), masterFrom + masterSeconds + between(r, 1, 20)])
    const cut = (start: number, length: number) => whole.slice(Math.round(start * RATE), Math.round((start + length) * RATE))
    const begin = Math.round(from * RATE) / RATE
    const reference = new SoundReference(heard(cut(masterFrom, masterSeconds)))
    const found = placeBySound(reference, heard(inRoom(cut(begin, seconds), r, between(r, -30, -6))))
    const truth = begin - masterFrom
    const shared = Math.min(masterSeconds, truth + seconds) - Math.max(0, truth)
    // A machine's bars are all the same: where the clip is not wholly in the master any of them may be meant.
    const decidable = shared >= SHARED && player !== 'machine'
    const right = found.startSeconds !== null && Math.abs(found.startSeconds - truth) < 0.002
    const key = `${player}, ${lie}`
    const one = counts.get(key) ?? { cases: 0, decidable: 0, placed: 0, wrong: [] }
    counts.set(key, one)
    one.cases++
    if (decidable) one.decidable++
    if (decidable && right && found.verdict !== 'loose') one.placed++
    if (found.verdict === 'sure' && !right)
      one.wrong.push(`${n}: ${seconds.toFixed(1)} s, truly at ${truth.toFixed(2)}, sure at ${found.startSeconds?.toFixed(2)}, ${JSON.stringify(found.why)}`)
  }
  let [decidable, placed, wrong] = [0, 0, 0]
  for (const [key, one] of [...counts].sort()) {
    console.log(`${key}: ${one.placed} of ${one.decidable} decidable placed, ${one.wrong.length} of ${one.cases} wrongly sure`)
    for (const line of one.wrong) console.log(`  ${line}`)
    decidable += one.decidable
    placed += one.placed
    wrong += one.wrong.length
  }
  console.log(
    `repeats: ${placed} of ${decidable} decidable placed (${((100 * placed) / Math.max(1, decidable)).toFixed(1)} %), ${wrong} of ${count} wrongly sure`,
  )
}
