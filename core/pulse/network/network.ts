import { BAND_STEPS, BANDS } from '../onset.ts'
import { CHANGE_STEPS, ROW } from './inputs.ts'
import trained from './weights.json'

/** Rows worked on at once. */
const CHUNK = 16384

interface Tensor {
  readonly shape: number[]
  readonly values: Float32Array
}

/** A plane holds one channel (or one band of one channel) over time. */
type Planes = Float32Array[]

export interface Activations {
  /** Likelihood 0..1 of a beat, and of the first beat of a bar, at each row of 20 ms. */
  readonly beat: Float32Array
  readonly bar: Float32Array
}

/**
 * Runs the trained network (after Davies & Böck 2019, "Temporal convolutional networks for musical audio beat tracking";
 * trained by bench/pulse/train.py on generated music) over rows of {@link ROW} values.
 */
export function runNetwork(rows: Uint8Array, onProgress?: (share: number) => void): Activations {
  const total = Math.floor(rows.length / ROW)
  const beat = new Float32Array(total)
  const bar = new Float32Array(total)
  const weights = read()
  /** Rows on each side that an answer depends on. */
  const around = 2 * trained.dilations.reduce((sum, d) => sum + d, 0) + 2
  for (let from = 0; from < total; from += CHUNK) {
    const to = Math.min(total, from + CHUNK)
    const first = Math.max(0, from - around)
    const last = Math.min(total, to + around)
    const [a, b] = forward(rows.subarray(first * ROW, last * ROW), weights)
    for (let t = from; t < to; t++) {
      beat[t] = 1 / (1 + Math.exp(-a[t - first]))
      bar[t] = 1 / (1 + Math.exp(-b[t - first]))
    }
    onProgress?.(to / total)
  }
  return { beat, bar }
}

function forward(rows: Uint8Array, w: Record<string, Tensor>): Planes {
  const length = rows.length / ROW
  const input = planes(BANDS, length)
  for (let b = 0; b < BANDS; b++) for (let t = 0; t < length; t++) input[b][t] = rows[t * ROW + b] / BAND_STEPS
  let maps: Planes[] = [input]
  maps = pooled(convolveMaps(maps, w['conv1.weight'], w['conv1.bias'], 1))
  maps = pooled(convolveMaps(maps, w['conv2.weight'], w['conv2.bias'], 1))
  const heard = convolveMaps(maps, w['conv3.weight'], w['conv3.bias'], 0).map(([only]) => elu(only))
  for (let k = BANDS; k < ROW; k++) {
    const plane = new Float32Array(length)
    for (let t = 0; t < length; t++) plane[t] = rows[t * ROW + k] / CHANGE_STEPS
    heard.push(plane)
  }
  const x = convolve(heard, w['join.weight'], w['join.bias'], 1).map(elu)
  for (const [i, dilation] of trained.dilations.entries()) {
    const wide = convolve(x, w[`wide.${i}.weight`], w[`wide.${i}.bias`], dilation).map(elu)
    const mixed = convolve(wide, w[`mix.${i}.weight`], w[`mix.${i}.bias`], 1)
    for (let c = 0; c < x.length; c++) for (let t = 0; t < length; t++) x[c][t] += mixed[c][t]
  }
  return convolve(x.map(elu), w['out.weight'], w['out.bias'], 1)
}

function planes(count: number, length: number): Planes {
  return Array.from({ length: count }, () => new Float32Array(length))
}

function elu(plane: Float32Array): Float32Array {
  for (let t = 0; t < plane.length; t++) if (plane[t] < 0) plane[t] = Math.exp(plane[t]) - 1
  return plane
}

/** out[t] += weight × plane[t + shift], zeros beyond the ends. */
function addShifted(out: Float32Array, plane: Float32Array, weight: number, shift: number): void {
  const from = Math.max(0, -shift)
  const to = Math.min(out.length, plane.length - shift)
  for (let t = from; t < to; t++) out[t] += weight * plane[t + shift]
}

/** {@link addShifted} by −1, 0 and 1 in one pass: the planes are of one length. */
function addThree(out: Float32Array, plane: Float32Array, before: number, here: number, after: number): void {
  const last = out.length - 1
  if (last < 1) {
    addShifted(out, plane, here, 0)
    return
  }
  out[0] += here * plane[0] + after * plane[1]
  for (let t = 1; t < last; t++) out[t] += before * plane[t - 1] + here * plane[t] + after * plane[t + 1]
  out[last] += before * plane[last - 1] + here * plane[last]
}

/** Convolution over time of shape [out, in, taps], centred, with a dilation. */
function convolve(x: Planes, weight: Tensor, bias: Tensor, dilation: number): Planes {
  const [outs, ins, taps] = weight.shape
  const length = x[0].length
  const result = planes(outs, length)
  for (let o = 0; o < outs; o++) {
    const out = result[o].fill(bias.values[o])
    for (let k = 0; k < taps; k++) {
      const shift = (k - (taps - 1) / 2) * dilation
      let c = 0
      // Four channels in one pass: the sum stays in the registers.
      for (; c + 4 <= ins; c += 4) {
        const at = (o * ins + c) * taps + k
        const [w0, w1, w2, w3] = [weight.values[at], weight.values[at + taps], weight.values[at + 2 * taps], weight.values[at + 3 * taps]]
        const [p0, p1, p2, p3] = [x[c], x[c + 1], x[c + 2], x[c + 3]]
        const from = Math.max(0, -shift)
        const to = Math.min(length, length - shift)
        for (let t = from, s = from + shift; t < to; t++, s++) out[t] += w0 * p0[s] + w1 * p1[s] + w2 * p2[s] + w3 * p3[s]
      }
      for (; c < ins; c++) addShifted(out, x[c], weight.values[(o * ins + c) * taps + k], shift)
    }
  }
  return result
}

/** Convolution over time and bands of shape [out, in, taps in time, taps in bands]; bands padded by `pad`. */
function convolveMaps(x: Planes[], weight: Tensor, bias: Tensor, pad: number): Planes[] {
  const [outs, ins, taps, across] = weight.shape
  const bands = x[0].length
  const length = x[0][0].length
  const result: Planes[] = []
  for (let o = 0; o < outs; o++) {
    const map = planes(bands + 2 * pad - across + 1, length)
    for (const [b, out] of map.entries()) {
      out.fill(bias.values[o])
      for (let c = 0; c < ins; c++)
        for (let j = 0; j < across; j++) {
          const from = x[c][b + j - pad]
          if (!from) continue
          const at = (o * ins + c) * taps * across + j
          if (taps === 3) addThree(out, from, weight.values[at], weight.values[at + across], weight.values[at + 2 * across])
          else for (let k = 0; k < taps; k++) addShifted(out, from, weight.values[at + k * across], k - (taps - 1) / 2)
        }
    }
    result.push(map)
  }
  return result
}

/** The highest of each three neighbouring bands, through the unit's curve; a rest of fewer than three is dropped. */
function pooled(maps: Planes[]): Planes[] {
  return maps.map((map) => {
    const out: Planes = []
    for (let b = 0; b + 3 <= map.length; b += 3) {
      const [p, q, r] = [map[b], map[b + 1], map[b + 2]]
      const most = new Float32Array(p.length)
      for (let t = 0; t < most.length; t++) {
        const m = Math.max(p[t], q[t])
        most[t] = Math.max(m, r[t])
      }
      out.push(elu(most))
    }
    return out
  })
}

let kept: Record<string, Tensor> | null = null

function read(): Record<string, Tensor> {
  if (kept) return kept
  kept = {}
  for (const [name, { shape, step, values }] of Object.entries(trained.tensors)) kept[name] = { shape, values: Float32Array.from(values, (v) => v * step) }
  return kept
}
