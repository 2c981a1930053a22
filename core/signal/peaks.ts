const HEADER_BYTES = 24

/**
 * Puts waveform overviews into a file of the open binary ".dat" layout, version 2, 8 bit (read by the waveform-data package).
 * @param channels of one length each: lowest and highest value of each step by turns
 * @param sampleRate Hz
 * @param step samples a point
 */
export function packPeaks(channels: readonly Int8Array[], sampleRate: number, step: number): Uint8Array {
  const points = Math.min(...channels.map((c) => c.length / 2))
  const bytes = new Uint8Array(HEADER_BYTES + 2 * points * channels.length)
  const view = new DataView(bytes.buffer)
  for (const [i, value] of [2, 1, sampleRate, step, points, channels.length].entries()) view.setInt32(4 * i, value, true)
  const values = new Int8Array(bytes.buffer, HEADER_BYTES)
  for (const [c, own] of channels.entries())
    for (let i = 0; i < points; i++) {
      const at = 2 * (i * channels.length + c)
      values[at] = own[2 * i]
      values[at + 1] = own[2 * i + 1]
    }
  return bytes
}

/** Gathers lowest and highest sample of each step of a mono stream. */
export class PeakWriter {
  #values = new Int8Array(4096)
  #count = 0
  readonly #step: number
  #low = 0
  #high = 0
  #filled = 0

  /** @param step samples a point, for example a hundredth of a second */
  constructor(step: number) {
    this.#step = step
  }

  /**
   * Adds samples of 16 bit.
   *
   * @param samples of one channel, or of several by turns
   * @param channel which of them, from 0
   * @param channels how many they are
   */
  push(samples: Int16Array, channel = 0, channels = 1): void {
    for (let from = channel; from < samples.length; ) {
      const count = Math.min(Math.ceil((samples.length - from) / channels), this.#step - this.#filled)
      const to = from + count * channels
      let low = this.#filled === 0 ? samples[from] : this.#low
      let high = this.#filled === 0 ? samples[from] : this.#high
      for (let i = from; i < to; i += channels) {
        const sample = samples[i]
        if (sample < low) low = sample
        if (sample > high) high = sample
      }
      this.#low = low
      this.#high = high
      this.#filled += count
      if (this.#filled === this.#step) this.#flush()
      from = to
    }
  }

  #flush(): void {
    if (this.#count + 2 > this.#values.length) {
      const more = new Int8Array(2 * this.#values.length)
      more.set(this.#values)
      this.#values = more
    }
    this.#values[this.#count++] = toByte(this.#low)
    this.#values[this.#count++] = toByte(this.#high)
    this.#filled = 0
  }

  /** Closes the last, shorter step. @returns lowest and highest value of each step by turns, −128..127 */
  finish(): Int8Array {
    if (this.#filled > 0) this.#flush()
    return this.#values.slice(0, this.#count)
  }
}

function toByte(sample: number): number {
  return Math.max(-128, Math.min(127, Math.round((sample / 32768) * 127)))
}
