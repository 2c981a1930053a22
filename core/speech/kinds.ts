import learnt from './kinds.json'

/** A small network of one hidden layer over standardised inputs; bench/speech/learn.ts makes its weights. */
export interface KindWeights {
  readonly made: string
  readonly mean: number[]
  readonly spread: number[]
  /** One row a hidden unit, its bias last; the same for each kind. */
  readonly hidden: number[][]
  readonly out: number[][]
}

const weighted = (row: readonly number[], x: readonly number[]) => row.reduce((sum, w, i) => sum + w * (i < x.length ? x[i] : 1), 0)

/** @returns likelihood of speech, music and applause around a place, summing to 1 */
export function weigh(look: ArrayLike<number>, weights: KindWeights = learnt): number[] {
  const x = weights.mean.map((mean, i) => Math.max(-5, Math.min(5, (look[i] - mean) / weights.spread[i])))
  const hidden = weights.hidden.map((row) => Math.tanh(weighted(row, x)))
  const scores = weights.out.map((row) => weighted(row, hidden))
  const most = Math.max(...scores)
  const powers = scores.map((s) => Math.exp(s - most))
  const sum = powers.reduce((a, b) => a + b, 0)
  return powers.map((p) => p / sum)
}
