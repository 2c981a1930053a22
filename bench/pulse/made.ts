import { seeded } from '../../demo/band.ts'
import type { Score, ScoreNote } from './score.ts'
import { STYLES } from './styles.ts'

type Random = () => number
const between = (r: Random, a: number, b: number) => a + (b - a) * r()
const pick = <T>(r: Random, list: readonly T[]): T => list[Math.floor(r() * list.length)]

const MAJOR = [0, 2, 4, 5, 7, 9, 11]
const MINOR = [0, 2, 3, 5, 7, 8, 10]
const KICK = 36
const SNARE = 38
const HAT = 42
const OPEN_HAT = 46
const CRASH = 49
const RIDE = 51
const BASS = 1
const CHORDS = 2
const TUNE = 3

/** Degrees of the scale, one a harmony. */
function progression(r: Random, length: number): number[] {
  const usual = [
    [0, 3, 4, 0],
    [0, 5, 3, 4],
    [0, 4, 5, 3],
    [5, 3, 0, 4],
    [0, 0, 3, 4],
    [1, 4, 0, 0],
    [0, 3, 0, 4],
    [0, 6, 5, 4],
  ]
  if (r() < 0.6) {
    const four = pick(r, usual)
    return Array.from({ length }, (_, i) => four[i % 4])
  }
  return Array.from({ length }, (_, i) => (i === 0 ? 0 : pick(r, [0, 1, 2, 3, 3, 4, 4, 5])))
}

interface Part {
  readonly drums: number
  readonly bass: boolean
  readonly chords: boolean
  readonly tune: boolean
  readonly halves: boolean
}

/** Where a step of a bar falls, in beats from the bar's beginning; the second half of each beat may come late. */
function stepAt(step: number, steps: number, swing: number): number {
  const beat = Math.floor(step / steps)
  const within = (step % steps) / steps
  if (steps % 2 === 1) return beat + within
  return beat + (within < 0.5 ? within * (1 + 2 * swing) : 0.5 + swing + (within - 0.5) * (1 - 2 * swing))
}

/** A piece of music from a seed: drums, bass and chords of styles that may differ, sections, human timing, tempo that moves. */
export function madePiece(seed: number, seconds: number): Score {
  const r = seeded(seed)
  for (let i = 0; i < 5; i++) r()
  const style = pick(r, STYLES)
  const { metre } = style
  const fellows = STYLES.filter((s) => s.metre === metre)
  const mixed = r() < 0.55
  const other = () => (mixed && r() < 0.6 ? pick(r, fellows) : style)
  const [drums, bassStyle, chordStyle] = [other(), other(), other()]
  const swing = [style, drums, bassStyle, chordStyle].some((s) => s.steps % 2 === 1)
    ? 1 / 6
    : style.swing > 0.05
      ? style.swing + between(r, -0.03, 0.02)
      : r() < 0.25
        ? between(r, 0.06, 0.18)
        : style.swing
  const scale = r() < 0.6 ? MAJOR : MINOR
  const key = 36 + Math.floor(r() * 12)
  const start = between(r, style.bpm[0], style.bpm[1]) * between(r, 0.88, 1.14)
  const steadiness = pick(r, [0, 0, 0.002, 0.006, 0.015])
  const change = r() < 0.15 ? between(r, 0.8, 1.25) : 1
  const bpm: number[] = []
  let time = 0
  let drift = 0
  const changeAt = between(r, 0.35, 0.65) * seconds
  while (time < seconds) {
    drift = 0.9 * drift + steadiness * (r() - 0.5) * 2
    const now = start * (time > changeAt ? change : 1) * (1 + drift)
    bpm.push(now)
    time += 60 / now
  }
  const bars = Math.floor(bpm.length / metre)
  bpm.length = bars * metre

  const notes: ScoreNote[] = []
  const human = pick(r, [0, 0.004, 0.01, 0.018])
  const perSecond = (beat: number) => bpm[Math.max(0, Math.min(bpm.length - 1, Math.floor(beat)))] / 60
  const put = (channel: number, pitch: number, beat: number, beats: number, velocity: number) =>
    notes.push({ channel, pitch, at: Math.max(0, beat + human * 2 * (r() - 0.5) * perSecond(beat)), beats, velocity: velocity * between(r, 0.88, 1.05) })

  const groups = pick(r, [4, 4, 8])
  const drumsAtAll = r() < 0.8
  const parts: Part[] = Array.from({ length: 6 }, (_, i) => ({
    drums: !drumsAtAll ? 0 : i === 0 && r() < 0.3 ? 0 : r() < 0.12 ? 0 : r() < 0.25 ? 0.5 : 1,
    bass: r() < 0.88,
    chords: r() < 0.86,
    tune: r() < 0.7,
    halves: r() < 0.08,
  }))
  const material = Array.from({ length: 3 }, () => ({
    chords: progression(r, groups),
    bass: pick(r, bassStyle.bass),
    comp: pick(r, chordStyle.chords),
    seed: Math.floor(r() * 1e6),
  }))
  const harmonyBars = pick(r, [1, 1, 1, 1, 2, 0.5])
  const hat = pick(r, [HAT, HAT, RIDE, 70, 54])
  const changed = (pattern: string) => pattern.replace(/[xo.]/g, (c) => (r() < 0.05 ? (c === '.' ? 'o' : '.') : c))
  const [kick, snare, cymbal] = [drums.kick, drums.snare, drums.hat].map((pattern) => (r() < 0.08 ? pattern.replace(/[xo?]/g, '.') : changed(pattern)))
  const programs = new Map([
    [BASS, pick(r, bassStyle.bassPrograms)],
    [CHORDS, pick(r, chordStyle.chordPrograms)],
    [TUNE, pick(r, style.tunePrograms)],
  ])
  const loud = { drums: between(r, 60, 120), bass: between(r, 60, 112), chords: between(r, 45, 100), tune: between(r, 55, 112) }

  const pitchOf = (degree: number, base: number) => base + 12 * Math.floor(degree / 7) + scale[((degree % 7) + 7) % 7]
  const order = [0, 0, 1, 0, 1, 2, 0, 1]
  let sung = 7
  for (let bar = 0; bar < bars; bar++) {
    const section = Math.floor(bar / groups)
    const part = parts[section % parts.length]
    const own = material[order[section % order.length]]
    const inSection = bar % groups
    const chordAt = (share: number) => own.chords[Math.floor((inSection + share) / harmonyBars) % own.chords.length]
    if (part.drums > 0) {
      const total = metre * drums.steps
      const fill = inSection === groups - 1 && r() < 0.5
      for (let step = 0; step < total; step++) {
        const at = bar * metre + stepAt(step, drums.steps, swing)
        const strikes = (pattern: string, s: number) => {
          const c = pattern[s % pattern.length]
          return c === 'x' ? 1 : c === 'o' ? 0.6 : c === '?' && r() < 0.4 ? 0.8 : 0
        }
        const s = part.halves ? Math.floor(step / 2) + (bar % 2) * (total / 2) : step
        const odd = part.halves && step % 2 === 1
        const [k, sn, h] = [odd ? 0 : strikes(kick, s), odd ? 0 : strikes(snare, s), strikes(cymbal, step)]
        if (k && part.drums >= 0.5) put(9, KICK, at, 0.2, loud.drums * k)
        if (sn && part.drums === 1) put(9, SNARE, at, 0.2, loud.drums * sn)
        if (h) put(9, r() < 0.03 ? OPEN_HAT : hat, at, 0.1, loud.drums * 0.75 * h)
        if (fill && step >= total / 2 && r() < 0.6) put(9, pick(r, [SNARE, 45, 47, 50, 41]), at, 0.2, loud.drums * between(r, 0.6, 1))
        if (step === 0 && inSection === 0 && r() < 0.5) put(9, CRASH, at, 2, loud.drums * 0.9)
      }
    }
    const degreeOf = (c: string, root: number, next: number) =>
      c === 'R' ? root : c === '3' ? root + 2 : c === '5' ? root + 4 : c === '6' ? root + 5 : c === '8' ? root + 7 : next + (r() < 0.5 ? 1 : -1)
    const played = (pattern: string, steps: number, play: (c: string, at: number, lasting: number, root: number, next: number) => void) => {
      const total = metre * steps
      for (let step = 0; step < total; step++) {
        const c = pattern[step % pattern.length]
        if (c === '.') continue
        let d = 1
        while (d < steps * 2 && step + d < total && pattern[(step + d) % pattern.length] === '.') d++
        play(c, bar * metre + stepAt(step, steps, swing), d / steps, chordAt(step / total), chordAt((step + steps) / total))
      }
    }
    if (part.bass)
      played(own.bass, bassStyle.steps, (c, at, lasting, root, next) =>
        put(BASS, pitchOf(degreeOf(c, root, next), key - (key > 40 ? 12 : 0)), at, lasting * 0.9, loud.bass),
      )
    if (part.chords) {
      const short = pick(seeded(own.seed), [0.95, 0.5])
      played(own.comp, chordStyle.steps, (c, at, lasting, root, next) => {
        if (c === 'C')
          for (const d of [0, 2, 4]) put(CHORDS, pitchOf(root + d, key + 12 + 12 * (d === 4 && root > 3 ? 0 : 1)), at, lasting * short, loud.chords)
        else put(CHORDS, pitchOf(degreeOf(c, root, next), key + 24), at, lasting * short, loud.chords)
      })
    }
    if (part.tune) {
      const total = metre * style.steps
      for (let step = 0; step < total; step++) {
        const dice = seeded(own.seed + 31 * inSection + step)
        dice()
        const root = chordAt(step / total)
        const onBeat = step % style.steps === 0
        const likely = onBeat ? style.tune[0] : step % Math.max(1, style.steps / 2) === 0 ? style.tune[1] : style.tune[1] * 0.3
        if (dice() >= likely) continue
        sung = Math.max(2, Math.min(14, sung + Math.round(between(dice, -2.4, 2.4))))
        const degree = onBeat && dice() < 0.7 ? root + pick(dice, [0, 2, 4]) + 7 : sung
        put(TUNE, pitchOf(degree, key + 24), bar * metre + stepAt(step, style.steps, swing), between(dice, 0.3, 1.4), loud.tune * (onBeat ? 1 : 0.85))
      }
    }
  }
  // Some pieces begin with a free introduction, which has no beats to be felt.
  const felt: [number, number][] = [[0, bpm.length]]
  if (r() < 0.1) {
    const free = metre * 2
    for (let i = notes.length - 1; i >= 0; i--) if (notes[i].at < free) notes.splice(i, 1)
    for (let at = 0; at < free - 1; at += between(r, 0.4, 2.7))
      for (const d of [0, 2, 4]) notes.push({ channel: CHORDS, pitch: pitchOf(d, key + 24), at, beats: 1.5, velocity: 70 })
    felt[0][0] = free
  }
  return { name: `made-${seed}-${style.name.replace(/ /g, '-')}`, metre, bpm, programs, notes, felt }
}
