import { heard, placeBySound, SoundReference } from '../core/lineup/index.ts'
import { ANALYSIS_RATE, resample } from '../core/signal/index.ts'
import { seeded } from '../demo/band.ts'
import { between, convolve, loop, pick, play, power, RATE, type Random, tune } from './cases.ts'

/**
 * Clips in which the event is heard under something louder: a roar, somebody shouting beside the microphone, a crowd, another
 * band; in rooms, through phones and pumping level controls, some slowed down, some foreign. What is foreign must never be sure.
 */

/** Somebody speaks or shouts: a buzz of a wandering pitch through three formants, in syllables and pauses. */
function voice(seconds: number, r: Random, pauses: number): Float32Array {
  const out = new Float32Array(Math.floor(seconds * RATE))
  const base = between(r, 95, 260)
  for (let at = between(r, 0, 0.5); at < seconds; ) {
    const long = between(r, 0.09, 0.35)
    const formants = [between(r, 280, 850), between(r, 900, 2300), between(r, 2400, 3300)].map((hz) => ({ hz, y1: 0, y2: 0 }))
    const from = base * between(r, 0.85, 1.3)
    const to = base * between(r, 0.8, 1.2)
    const breathy = between(r, 0.05, 0.6)
    let phase = 0
    for (let i = 0; i < long * RATE && Math.floor(at * RATE) + i < out.length; i++) {
      const x = i / (long * RATE)
      phase += (from + (to - from) * x) / RATE
      const pulse = phase >= 1 ? 1 : 0
      phase -= pulse
      const drive = pulse + breathy * 0.12 * (r() - 0.5)
      let sum = 0
      for (const [k, f] of formants.entries()) {
        const radius = Math.exp((-Math.PI * (70 + 50 * k)) / RATE)
        const y = drive + 2 * radius * Math.cos((2 * Math.PI * f.hz) / RATE) * f.y1 - radius * radius * f.y2
        f.y2 = f.y1
        f.y1 = y
        sum += y / (k + 1)
      }
      out[Math.floor(at * RATE) + i] += sum * Math.sin(Math.PI * x) ** 0.6
    }
    at += long + (r() < 0.2 ? between(r, 0.1, pauses) : between(r, 0, 0.06))
  }
  return out
}

function roar(seconds: number, r: Random): Float32Array {
  const out = new Float32Array(Math.floor(seconds * RATE))
  const poles = [0.6, 0.9, 0.985, 0.998].map((pole) => ({ pole, y: 0 }))
  const slow = between(r, 0.3, 2)
  for (let i = 0; i < out.length; i++) {
    let sum = 0
    for (const p of poles) {
      p.y = p.pole * p.y + (1 - p.pole) * 6 * (r() - 0.5)
      sum += p.y / (1 - p.pole) ** 0.5
    }
    out[i] = sum * (1 + 0.5 * Math.sin((2 * Math.PI * slow * i) / RATE))
  }
  return out
}

function crowd(seconds: number, r: Random): Float32Array {
  const out = new Float32Array(Math.floor(seconds * RATE))
  for (let k = 0; k < 14; k++) {
    const level = between(r, 0.2, 1)
    for (const [i, x] of voice(seconds, r, 0.8).entries()) out[i] += level * x
  }
  const spread = Math.sqrt(power(out))
  // Hands, each its own.
  for (let n = 0; n < seconds * 40; n++) {
    const at = Math.floor(r() * out.length)
    const level = spread * between(r, 0.5, 3)
    for (let i = 0; i < 240 && at + i < out.length; i++) out[at + i] += level * (r() - 0.5) * Math.exp(-i / 50)
  }
  return out
}

const MASKERS: Record<string, (seconds: number, r: Random) => Float32Array> = {
  roar,
  shouting: (seconds, r) => voice(seconds, r, 0.5),
  crowd,
  'another band': (seconds, r) => tune(Math.ceil(seconds) + 2, Math.floor(r() * 1e6), between(r, 90, 150)),
}

function inRoom(dry: Float32Array, r: Random): Float32Array {
  const long = between(r, 0.3, 2)
  const kernel = new Float32Array(Math.floor(Math.min(1.2, long) * RATE))
  for (let i = Math.floor(0.004 * RATE); i < kernel.length; i++) kernel[i] = (r() - 0.5) * Math.exp((-6.9 * i) / (long * RATE))
  const wet = convolve(dry, kernel)
  const gain = Math.sqrt(power(dry) / Math.max(1e-12, power(wet))) * 10 ** (-between(r, 0, 10) / 20)
  return dry.map((x, i) => x + gain * wet[i])
}

function pumping(x: Float32Array): Float32Array {
  let level = 0.05
  return x.map((v) => {
    level += (Math.abs(v) > level ? 40 : 1.5) * ((Math.abs(v) - level) / RATE)
    return v * (0.2 / Math.max(0.02, level)) ** 0.8
  })
}

/** Eight thousand samples a second in eight bits, as calls are kept. */
function phone(x: Float32Array): Float32Array {
  const peak = x.reduce((m, v) => Math.max(m, Math.abs(v)), 1e-9)
  let low = 0
  return x.map((v) => {
    low += 0.11 * (v / peak - low)
    const high = v / peak - low
    const coded = Math.round(127 * Math.sign(high) * (Math.log1p(255 * Math.min(1, Math.abs(high))) / Math.log(256)))
    return (Math.sign(coded) * (256 ** (Math.abs(coded) / 127) - 1)) / 255
  })
}

interface Count {
  cases: number
  placed: number
  checks: number
  wrong: number
  foreign: number
  locked: number
}

/**
 * @param count cases in all
 * @param only numbers of cases, for looking at some of them
 */
export function benchBuried(count = 200, only: readonly number[] = []): void {
  const masters = [tune(180, 501, 104), tune(240, 502, 146), loop(150, 503, 122), voice(200, seeded(504), 1.2), tune(200, 505, 78)].map((x) =>
    resample(x, ANALYSIS_RATE / RATE),
  )
  const whole = masters.map((x) => resample(x, RATE / ANALYSIS_RATE))
  const references = masters.map((x) => new SoundReference(heard(x)))
  const counts = new Map<string, Count>()
  const bad: string[] = []
  for (let n = 0; n < count; n++) {
    if (only.length > 0 && !only.includes(n)) continue
    const r = seeded(70_000 + n)
    const m = Math.floor(r() * masters.length)
    const seconds = between(r, 12, n % 3 === 0 ? 60 : 24)
    const foreign = n % 5 === 4
    const speed = n % 10 === 7 && m !== 2 ? pick(r, [1.25, 1.5, 25 / 24]) : 1
    const rate = speed * (1 + between(r, -60e-6, 60e-6))
    const start = between(r, 0, whole[m].length / RATE - seconds * rate)
    const dry = foreign ? tune(Math.ceil(seconds), 900 + n, between(r, 90, 150)) : play(whole[m], start, rate, seconds)
    const kind = pick(r, Object.keys(MASKERS))
    const db = pick(r, [-5, -10, -15, -20, -25])
    const room = inRoom(dry, r)
    const mask = MASKERS[kind](dry.length / RATE, r)
    const gain = Math.sqrt(power(room) / power(mask)) * 10 ** (-db / 20)
    let x: Float32Array = room.map((v, i) => v + gain * mask[i])
    const did = [kind, `${db} dB`, `${seconds.toFixed(0)} s`, `speed ${speed.toFixed(2)}`]
    if (r() < 0.4) {
      x = pumping(x)
      did.push('pumping')
    }
    if (r() < 0.3) {
      x = phone(x)
      did.push('phone')
    }
    const began = performance.now()
    const found = placeBySound(references[m], heard(resample(x, ANALYSIS_RATE / RATE)), { speeds: [1.25, 1.5, 25 / 24, 24 / 25, 0.8, 2] })
    const took = (performance.now() - began) / 1000
    const placed = found.verdict !== 'loose' && found.startSeconds !== null
    const off = placed ? Math.max(...[0, seconds].map((t) => Math.abs((found.startSeconds as number) + found.rate * t - start - rate * t))) : Number.NaN
    for (const key of [`${db} dB`, kind, `master ${m}`, 'all']) {
      const one = counts.get(key) ?? { cases: 0, placed: 0, checks: 0, wrong: 0, foreign: 0, locked: 0 }
      counts.set(key, one)
      if (foreign) {
        one.foreign++
        if (found.verdict === 'sure') one.locked++
      } else {
        one.cases++
        if (off < 0.005) one[found.verdict === 'sure' ? 'placed' : 'checks']++
        else if (found.verdict === 'sure') one.wrong++
      }
    }
    if (foreign ? found.verdict === 'sure' : !(off < 0.005 && found.verdict === 'sure'))
      bad.push(
        `${n}${foreign ? ' FOREIGN' : ''} master ${m} ${did.join(', ')}: ${found.verdict} ${Number.isNaN(off) ? '' : `${(off * 1000).toFixed(2)} ms off `}${JSON.stringify(found.why)} ${took.toFixed(1)} s`,
      )
  }
  for (const line of bad) console.log(`  ${line}`)
  for (const [key, one] of [...counts].sort())
    console.log(
      `${key}: ${one.placed} of ${one.cases} sure and right (${((100 * one.placed) / one.cases).toFixed(0)} %), ${one.checks} to check and right, ${one.wrong} wrongly sure, ${one.locked} of ${one.foreign} foreign ones sure`,
    )
}
