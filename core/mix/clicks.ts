/** Clicks and crackles are found and filled in. */
export interface Clicks {
  readonly on: boolean
  /** 0 only what is far beyond all around it, to 100 also what just stands out. */
  readonly sensitivity: number
}

/** Frames of one channel that are looked at together, their middle being what is mended. */
const WINDOW = 1024
const CONTEXT = 256
const STEP = WINDOW - 2 * CONTEXT
const ORDER = 24
/** What lasts longer is no click, frames: 2 ms at 48 kHz. */
const LONGEST = 96
/** Faults that lie so close beside each other are one, frames. */
const GAP = 8
/** Mended beyond both ends of what was found, frames. */
const WIDER = 3
/** What is below this sample value is nothing: −80 dBFS. */
const SMALLEST = 1e-4

/** Sound comes out of a {@link ClickRun} so much later, frames. */
export const CLICKS_LATENCY = WINDOW - CONTEXT

/** How many standard deviations of what cannot be foretold are a click. */
const limitOf = (sensitivity: number): number => 40 * (6 / 40) ** (Math.max(0, Math.min(100, sensitivity)) / 100)

/**
 * Takes clicks out of one channel. Sound is modelled as autoregressive; what neither the samples before nor those behind
 * foretell is a click, and is put in anew as those around it say, with the least error of the model (S. Godsill,
 * P. Rayner, Digital Audio Restoration, Springer 1998, chapters 5.2 and 5.3.1).
 */
export class ClickRun {
  readonly #window = new Float32Array(WINDOW)
  #at = 0

  /** @param samples of the channel, in place; each comes out {@link CLICKS_LATENCY} later */
  run({ sensitivity }: Clicks, samples: Float32Array): void {
    const limit = limitOf(sensitivity)
    for (let n = 0; n < samples.length; ) {
      const count = Math.min(STEP - this.#at, samples.length - n)
      for (let i = 0; i < count; i++) {
        const x = samples[n + i]
        // What was mended last comes out while the next is gathered behind it.
        samples[n + i] = this.#window[CONTEXT + this.#at + i]
        this.#next[this.#at + i] = x
      }
      n += count
      this.#at += count
      if (this.#at === STEP) {
        this.#window.copyWithin(0, STEP)
        this.#window.set(this.#next, WINDOW - STEP)
        mend(this.#window, limit)
        this.#at = 0
      }
    }
  }

  readonly #next = new Float32Array(STEP)
}

/** Mends what begins in the middle of a window. @returns how many faults there were */
export function mend(x: Float32Array, limit: number): number {
  let mended = 0
  // A click makes all look less foretellable than it is: what is found first is mended, then all is looked at again.
  for (let pass = 0; pass < 2; pass++) {
    const a = predictor(x)
    if (!a) return mended
    const faults = faultsIn(x, a, limit)
    for (const [from, to] of faults) fillIn(x, a, from, to)
    mended += faults.length
    if (faults.length === 0) return mended
  }
  return mended
}

/** Coefficients that foretell a sample: x[n] ≈ −Σ a[k]·x[n−k], k from 1 on (Levinson and Durbin); null for silence. */
function predictor(x: Float32Array): Float64Array | null {
  const r = new Float64Array(ORDER + 1)
  for (let k = 0; k <= ORDER; k++) {
    let sum = 0
    for (let n = k; n < x.length; n++) sum += x[n] * x[n - k]
    r[k] = sum
  }
  if (r[0] < x.length * SMALLEST * SMALLEST) return null
  // A little noise keeps pure tones from being foretold without any error.
  r[0] *= 1 + 1e-7
  const a = new Float64Array(ORDER + 1)
  const before = new Float64Array(ORDER + 1)
  a[0] = 1
  let error = r[0]
  for (let m = 1; m <= ORDER; m++) {
    let sum = r[m]
    for (let k = 1; k < m; k++) sum += a[k] * r[m - k]
    const reflected = -sum / error
    before.set(a)
    for (let k = 1; k < m; k++) a[k] = before[k] + reflected * before[m - k]
    a[m] = reflected
    error *= 1 - reflected * reflected
    if (!(error > 0)) return null
  }
  return a
}

/** Stretches [from, to) that stand out, of those that begin in the middle of the window. */
function faultsIn(x: Float32Array, a: Float64Array, limit: number): [number, number][] {
  const [first, last] = [CONTEXT - LONGEST, CONTEXT + STEP + LONGEST]
  const count = last - first
  const both = new Float64Array(count)
  const sizes = new Float64Array(count)
  for (let i = 0; i < count; i++) {
    const n = first + i
    let [forward, back] = [x[n], x[n]]
    for (let k = 1; k <= ORDER; k++) {
      forward += a[k] * x[n - k]
      back += a[k] * x[n + k]
    }
    sizes[i] = Math.abs(forward)
    both[i] = Math.min(Math.abs(forward), Math.abs(back))
  }
  const least = Math.max(SMALLEST, (limit * sizes.sort()[count >> 1]) / 0.6745)
  const found: [number, number][] = []
  for (let i = 0; i < count; i++) {
    if (both[i] < least) continue
    const n = first + i
    const open = found.at(-1)
    if (open && n - open[1] < GAP) open[1] = n + 1
    else found.push([n, n + 1])
  }
  return found
    .filter(([from, to]) => from >= CONTEXT && from < CONTEXT + STEP && to - from <= LONGEST)
    .map(([from, to]): [number, number] => [from - WIDER, to + WIDER])
}

/** Puts in the samples that leave the least error of the model over all that they take part in. */
function fillIn(x: Float32Array, a: Float64Array, from: number, to: number): void {
  const m = to - from
  // b[d] = Σ a[k]·a[k+d]: what two unknown samples so far apart have to do with each other.
  const b = new Float64Array(ORDER + 1)
  for (let d = 0; d <= ORDER; d++) for (let k = 0; k + d <= ORDER; k++) b[d] += a[k] * a[k + d]
  const right = new Float64Array(m)
  for (let i = 0; i < m; i++)
    for (let d = -ORDER; d <= ORDER; d++) {
      const n = from + i + d
      if (n < from || n >= to) right[i] -= b[Math.abs(d)] * x[n]
    }
  const l = cholesky(b, m)
  for (let i = 0; i < m; i++) {
    for (let k = Math.max(0, i - ORDER); k < i; k++) right[i] -= l[i * m + k] * right[k]
    right[i] /= l[i * m + i]
  }
  for (let i = m - 1; i >= 0; i--) {
    for (let k = i + 1; k < Math.min(m, i + ORDER + 1); k++) right[i] -= l[k * m + i] * right[k]
    right[i] /= l[i * m + i]
  }
  for (let i = 0; i < m; i++) x[from + i] = right[i]
}

/** Lower factor of the symmetric band matrix whose diagonals are `b`. */
function cholesky(b: Float64Array, m: number): Float64Array {
  const l = new Float64Array(m * m)
  for (let i = 0; i < m; i++)
    for (let k = Math.max(0, i - ORDER); k <= i; k++) {
      let sum = b[i - k]
      for (let j = Math.max(0, i - ORDER); j < k; j++) sum -= l[i * m + j] * l[k * m + j]
      l[i * m + k] = i === k ? Math.sqrt(Math.max(sum, 1e-12)) : sum / l[k * m + k]
    }
  return l
}
