/** Half width of the interpolation kernel in input samples (at unity ratio): stop band below −70 dB with a Hann-windowed sinc. */
const HALF_TAPS = 16
const TABLE_STEPS = 512

const table = (() => {
  const values = new Float64Array(HALF_TAPS * TABLE_STEPS + 2)
  for (let i = 0; i < values.length; i++) {
    const x = i / TABLE_STEPS
    const sinc = x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x)
    values[i] = x >= HALF_TAPS ? 0 : sinc * (0.5 + 0.5 * Math.cos((Math.PI * x) / HALF_TAPS))
  }
  return values
})()

/**
 * Plays a signal at another speed by band-limited interpolation (windowed sinc; Smith, "Digital Audio Resampling").
 * @param samples mono signal
 * @param ratio output samples for one input sample: 1.5 makes it 1.5 times as long. Positive.
 * @returns a new signal of `floor(length × ratio)` samples; sample n is the input at position n / ratio
 * @throws TypeError when the ratio is not positive
 */
export function resample(samples: Float32Array, ratio: number): Float32Array {
  if (!(ratio > 0) || !Number.isFinite(ratio)) throw new TypeError(`ratio must be positive, got ${ratio}`)
  const out = new Float32Array(Math.floor(samples.length * ratio))
  const cutoff = Math.min(1, ratio)
  for (let n = 0; n < out.length; n++) out[n] = interpolate(samples, samples.length, 1, 0, n / ratio, cutoff)
  return out
}

/**
 * Value of a signal between its samples; outside the signal is silence.
 * @param samples interleaved samples
 * @param frames number of frames in `samples`
 * @param stride channels
 * @param channel which channel
 * @param at position in frames, may lie outside
 * @param cutoff 1 for the whole band; below 1 when the result is sampled that much more slowly
 */
export function interpolate(samples: Float32Array, frames: number, stride: number, channel: number, at: number, cutoff = 1): number {
  const reach = HALF_TAPS / cutoff
  const first = Math.max(0, Math.ceil(at - reach))
  const last = Math.min(frames - 1, Math.floor(at + reach))
  let sum = 0
  for (let i = first; i <= last; i++) {
    const x = Math.abs(i - at) * cutoff * TABLE_STEPS
    const whole = x | 0
    const part = x - whole
    sum += samples[i * stride + channel] * (table[whole] * (1 - part) + table[whole + 1] * part)
  }
  return sum * cutoff
}
