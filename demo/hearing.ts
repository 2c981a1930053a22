import { inverseReal, realSpectrum } from '@pendolo/core/signal'
import { seeded } from './band.ts'
import type { Hearing, Take } from './cameras.ts'
import { MASTER_RATE } from './synth.ts'

/**
 * What a device's microphone recorded of the evening: the master on the device's clock, in its room, through its
 * microphone, with its noise and limiter. The direct sound arrives at once, so that truth is simple.
 * @returns interleaved samples at the device's own rate
 */
export function hear(master: Float32Array, hearing: Hearing, take: Take, seed: number): { samples: Float32Array; channels: number } {
  const rate = hearing.sampleRate
  const frames = Math.round(take.seconds * rate)
  const dry = new Float32Array(frames)
  const masterPerFrame = (take.rate / rate) * MASTER_RATE
  for (let i = 0; i < frames; i++) dry[i] = cubic(master, take.start * MASTER_RATE + i * masterPerFrame)
  const wet = convolve(dry, echo(hearing.room, rate, seed))
  const hiss = noise(seed)
  const mono = new Float32Array(frames)
  let hum = 0
  for (let i = 0; i < frames; i++) {
    const n = hiss(i)
    hum = 0.98 * hum + 0.02 * n
    mono[i] = hearing.gain * (hearing.direct * dry[i] + 0.6 * wet[i]) + hearing.noise * (n + 6 * hum)
  }
  band(mono, hearing.band, rate)
  limit(mono, rate)
  return layout(mono, dry, hearing, seed)
}

/** Value between samples by a cubic through four of them (Catmull-Rom); outside is silence. */
function cubic(samples: Float32Array, at: number): number {
  const i = Math.floor(at)
  if (i < 1 || i + 2 >= samples.length) return 0
  const x = at - i
  const a = samples[i - 1]
  const b = samples[i]
  const c = samples[i + 1]
  const d = samples[i + 2]
  return b + 0.5 * x * (c - a + x * (2 * a - 5 * b + 4 * c - d + x * (3 * (b - c) + d - a)))
}

function layout(mono: Float32Array, dry: Float32Array, hearing: Hearing, seed: number): { samples: Float32Array; channels: number } {
  const hiss = noise(seed + 99)
  if (hearing.channels === 'mono') return { samples: mono, channels: 1 }
  const channels = hearing.channels === 'three' ? 3 : 2
  const out = new Float32Array(mono.length * channels)
  for (let i = 0; i < mono.length; i++) {
    if (channels === 2) {
      out[2 * i] = mono[i]
      out[2 * i + 1] = hearing.channels === 'left' ? 0 : 0.8 * mono[i] + 0.15 * (mono[i - 23] || 0) + hearing.noise * 0.3 * hiss(i)
    } else {
      out[3 * i] = 0.9 * mono[i]
      out[3 * i + 1] = 0.5 * dry[i] + 0.001 * hiss(i)
      out[3 * i + 2] = 0.5 * mono[i] + 0.004 * hiss(i + 1013)
    }
  }
  return { samples: out, channels }
}

const NOISE = (() => {
  const random = seeded(77)
  return Float32Array.from({ length: 1_000_003 }, () => random() - 0.5)
})()

/** Noise −0.5..0.5 at sample i, of a device's own. The table repeats after twenty seconds, which nobody hears. */
function noise(seed: number): (i: number) => number {
  const shift = (seed * 104_729) % NOISE.length
  return (i) => NOISE[(i + shift) % NOISE.length]
}

/** Early reflections and a tail of falling noise. */
function echo(seconds: number, rate: number, seed: number): Float32Array {
  const random = seeded(seed + 5)
  const out = new Float32Array(Math.round(Math.min(0.3, seconds) * rate))
  for (let i = Math.round(0.004 * rate); i < out.length; i++) out[i] = (random() - 0.5) * 0.05 * Math.exp((-6.9 * i) / (seconds * rate))
  for (let k = 0; k < 9; k++) out[Math.round((0.006 + 0.05 * random()) * rate)] += 0.3 * (random() - 0.5)
  return out
}

function convolve(signal: Float32Array, kernel: Float32Array): Float32Array {
  const size = 65536
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
    const end = Math.min(size, signal.length - from)
    for (let i = 0; i < end; i++) out[from + i] += y[i]
  }
  return out
}

/** One-pole filters twice each way: gentle, as small microphones are. */
function band(samples: Float32Array, [low, high]: [number, number], rate: number): void {
  const a = 1 - Math.exp((-2 * Math.PI * high) / rate)
  const b = 1 - Math.exp((-2 * Math.PI * low) / rate)
  let [l1, l2, h1, h2] = [0, 0, 0, 0]
  for (let i = 0; i < samples.length; i++) {
    l1 += a * (samples[i] - l1)
    l2 += a * (l1 - l2)
    h1 += b * (l2 - h1)
    h2 += b * (l2 - h1 - h2)
    samples[i] = l2 - h1 - h2
  }
}

/** A camera's automatic level: slow up, fast down, and a hard ceiling. */
function limit(samples: Float32Array, rate: number): void {
  let level = 0.1
  let gain = 1
  for (let i = 0; i < samples.length; i++) {
    const x = Math.abs(samples[i])
    level += (x > level ? 300 : 0.4) * ((x - level) / rate)
    if (i % 16 === 0) gain = 0.28 / Math.max(0.05, level) ** 0.6
    samples[i] = Math.max(-0.95, Math.min(0.95, samples[i] * gain))
  }
}
