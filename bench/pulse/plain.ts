import { PULSE_RATE } from '../../core/pulse/index.ts'
import { seeded } from '../../demo/band.ts'
import type { Score } from './score.ts'

/** Plays a piece by bare oscillators and noise, each part with a voice drawn from the seed. */
export function plainly(score: Score, seconds: number, seed: number): Float32Array {
  const r = seeded(seed)
  const out = new Float32Array(seconds * PULSE_RATE)
  const times = [0]
  for (const bpm of score.bpm) times.push(times[times.length - 1] + 60 / bpm)
  const timeAt = (beat: number) => {
    const i = Math.max(0, Math.min(times.length - 2, Math.floor(beat)))
    return times[i] + (beat - i) * (times[i + 1] - times[i])
  }
  const voices = new Map<number, { partials: number[]; attack: number; decay: number }>()
  const voiceOf = (channel: number) => {
    let voice = voices.get(channel)
    if (!voice) {
      const bright = 0.2 + 0.7 * r()
      voice = {
        partials: Array.from({ length: 1 + Math.floor(8 * r()) }, (_, k) => (r() < 0.8 ? bright ** k : 0)),
        attack: 0.002 + 0.03 * r() ** 2,
        decay: 0.08 + 0.9 * r(),
      }
      voices.set(channel, voice)
    }
    return voice
  }
  const drum = { kick: 45 + 40 * r(), tone: 150 + 120 * r(), ring: 0.02 + 0.15 * r(), hat: 0.008 + 0.06 * r() }
  for (const note of score.notes) {
    const at = Math.floor(timeAt(note.at) * PULSE_RATE)
    const level = 0.12 * (note.velocity / 127) ** 1.5
    if (note.channel === 9) {
      const [hz, ring, noise] =
        note.pitch <= 36
          ? [drum.kick, 0.09, 0.05]
          : note.pitch <= 41 || (note.pitch >= 43 && note.pitch <= 50 && note.pitch !== 46 && note.pitch !== 49)
            ? [drum.tone, drum.ring, 0.7]
            : [0, drum.hat * (note.pitch === 49 ? 8 : 1), 0.6]
      for (let i = 0; i < ring * 5 * PULSE_RATE && at + i < out.length; i++) {
        const fade = Math.exp(-i / (ring * PULSE_RATE))
        const x = i / PULSE_RATE
        out[at + i] += level * 1.6 * fade * ((hz > 0 ? Math.sin(2 * Math.PI * hz * (x + 0.02 * (1 - Math.exp(-40 * x)))) : 0) + noise * (r() - 0.5) * 2)
      }
      continue
    }
    const { partials, attack, decay } = voiceOf(note.channel)
    const hz = 440 * 2 ** ((note.pitch - 69) / 12)
    const length = timeAt(note.at + note.beats) - timeAt(note.at)
    const n = Math.floor((length + 0.03) * PULSE_RATE)
    for (const [k, share] of partials.entries()) {
      const step = (2 * Math.PI * hz * (k + 1)) / PULSE_RATE
      if (share < 0.02 || step > 2.8) continue
      for (let i = 0; i < n && at + i < out.length; i++) {
        const x = i / PULSE_RATE
        const shape = Math.min(1, x / attack) * Math.exp(-x / decay) * Math.min(1, (length + 0.03 - x) / 0.03)
        out[at + i] += level * share * shape * Math.sin(step * i)
      }
    }
  }
  return out
}
