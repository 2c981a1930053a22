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
  const reach = HALF_TAPS / cutoff
  for (let n = 0; n < out.length; n++) {
    const centre = n / ratio
    const first = Math.max(0, Math.ceil(centre - reach))
    const last = Math.min(samples.length - 1, Math.floor(centre + reach))
    let sum = 0
    for (let i = first; i <= last; i++) {
      const at = Math.abs(i - centre) * cutoff * TABLE_STEPS
      const whole = at | 0
      const part = at - whole
      sum += samples[i] * (table[whole] * (1 - part) + table[whole + 1] * part)
    }
    out[n] = sum * cutoff
  }
  return out
}
