import { writeFileSync } from 'node:fs'
import { type KindWeights, LOOK_STEP, looksOf, SPAN_KINDS, weigh } from '../../core/speech/index.ts'
import { seeded } from '../../demo/band.ts'
import { heardOf } from './evaluate.ts'
import type { Evening } from './evenings.ts'

const HIDDEN = 16
const ROUNDS = 60
const BATCH = 64
const RATE = 0.004

interface Example {
  readonly x: Float32Array
  readonly kind: number
}

async function examples(evenings: readonly Evening[]): Promise<Example[]> {
  const out: Example[] = []
  for (const evening of evenings) {
    const { traits, voice } = await heardOf(evening.master)
    for (const [i, x] of looksOf(traits, voice).entries()) {
      const t = i * LOOK_STEP
      const span = evening.truth.spans.find((s) => t >= s.start + 0.3 && t < s.end - 0.3)
      const kind = span ? SPAN_KINDS.indexOf(span.kind) : -1
      if (kind >= 0 && kind < 3) out.push({ x, kind })
    }
  }
  return out
}

/** Learns `core/speech/kinds.json` from the evenings of a half: cross entropy, Adam (Kingma & Ba 2015), small weights preferred. */
export async function learnKinds(evenings: readonly Evening[], file: string): Promise<void> {
  const list = await examples(evenings)
  const size = list[0].x.length
  const mean = Array.from({ length: size }, (_, i) => list.reduce((s, e) => s + e.x[i], 0) / list.length)
  const spread = mean.map((m, i) => Math.sqrt(list.reduce((s, e) => s + (e.x[i] - m) ** 2, 0) / list.length) || 1)
  const r = seeded(7)
  const row = (n: number, scale: number) => Array.from({ length: n }, () => (r() - 0.5) * scale)
  const weights: KindWeights = {
    made: 'bench/speech/learn.ts',
    mean,
    spread,
    hidden: Array.from({ length: HIDDEN }, () => row(size + 1, 1)),
    out: Array.from({ length: 3 }, () => row(HIDDEN + 1, 0.5)),
  }
  const rows = [...weights.hidden, ...weights.out]
  const first = rows.map((w) => w.map(() => 0))
  const second = rows.map((w) => w.map(() => 0))
  const counts = [0, 1, 2].map((k) => list.filter((e) => e.kind === k).length)
  let step = 0
  for (let round = 0; round < ROUNDS; round++) {
    for (let i = list.length - 1; i > 0; i--) {
      const k = Math.floor(r() * (i + 1))
      ;[list[i], list[k]] = [list[k], list[i]]
    }
    for (let from = 0; from + BATCH <= list.length; from += BATCH) {
      const slopes = rows.map((w) => w.map(() => 0))
      for (const { x, kind } of list.slice(from, from + BATCH)) {
        const input = [...mean.map((m, i) => Math.max(-5, Math.min(5, (x[i] - m) / spread[i])) + 0.1 * (r() - 0.5)), 1]
        const hidden = [...weights.hidden.map((w) => Math.tanh(w.reduce((s, v, i) => s + v * input[i], 0))), 1]
        const likely = weigh(x, weights)
        const share = list.length / (3 * counts[kind]) / BATCH
        const wrong = likely.map((p, k) => share * (p - (k === kind ? 1 : 0)))
        for (const [k, d] of wrong.entries()) for (let h = 0; h <= HIDDEN; h++) slopes[HIDDEN + k][h] += d * hidden[h]
        for (let h = 0; h < HIDDEN; h++) {
          const back = wrong.reduce((s, d, k) => s + d * weights.out[k][h], 0) * (1 - hidden[h] ** 2)
          for (let i = 0; i <= size; i++) slopes[h][i] += back * input[i]
        }
      }
      step++
      for (const [k, w] of rows.entries())
        for (let i = 0; i < w.length; i++) {
          const slope = slopes[k][i] + 2e-4 * w[i]
          first[k][i] = 0.9 * first[k][i] + 0.1 * slope
          second[k][i] = 0.999 * second[k][i] + 0.001 * slope * slope
          w[i] -= (RATE * (1 - round / ROUNDS) * (first[k][i] / (1 - 0.9 ** step))) / (Math.sqrt(second[k][i] / (1 - 0.999 ** step)) + 1e-8)
        }
    }
  }
  const right = list.filter((e) => weigh(e.x, weights).every((p, k, all) => k === e.kind || p < all[e.kind])).length
  console.log(`kinds: ${list.length} places learnt, ${((100 * right) / list.length).toFixed(1)} % of them right`)
  const short = (w: number[][]) => w.map((x) => x.map((v) => Number(v.toFixed(4))))
  const told = { ...weights, mean: short([mean])[0], spread: short([spread])[0], hidden: short(weights.hidden), out: short(weights.out) }
  writeFileSync(file, `${JSON.stringify(told)}\n`)
}
