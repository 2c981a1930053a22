/** A waveform overview in the open binary ".dat" layout, version 2, 8 bit (read by the waveform-data package). */
export interface PeakFile {
  readonly bytes: Uint8Array
  readonly sampleRate: number
  readonly samplesPerPixel: number
}

const HEADER_BYTES = 24

/** Gathers lowest and highest sample of each step of a mono stream. */
export class PeakWriter {
  readonly #values: number[] = []
  readonly #sampleRate: number
  readonly #step: number
  #low = 0
  #high = 0
  #filled = 0

  /**
   * @param sampleRate Hz
   * @param step samples a point, for example a hundredth of a second
   */
  constructor(sampleRate: number, step: number) {
    this.#sampleRate = sampleRate
    this.#step = step
  }

  /** Adds samples in −1..1 (beyond is limited). */
  push(samples: Float32Array): void {
    for (const sample of samples) {
      if (this.#filled === 0 || sample < this.#low) this.#low = sample
      if (this.#filled === 0 || sample > this.#high) this.#high = sample
      if (++this.#filled === this.#step) this.#flush()
    }
  }

  #flush(): void {
    this.#values.push(toByte(this.#low), toByte(this.#high))
    this.#filled = 0
  }

  /** Closes the last, shorter step and returns the file. */
  finish(): PeakFile {
    if (this.#filled > 0) this.#flush()
    const bytes = new Uint8Array(HEADER_BYTES + this.#values.length)
    const view = new DataView(bytes.buffer)
    view.setInt32(0, 2, true)
    view.setUint32(4, 1, true)
    view.setInt32(8, this.#sampleRate, true)
    view.setInt32(12, this.#step, true)
    view.setUint32(16, this.#values.length / 2, true)
    view.setInt32(20, 1, true)
    for (let i = 0; i < this.#values.length; i++) view.setInt8(HEADER_BYTES + i, this.#values[i])
    return { bytes, sampleRate: this.#sampleRate, samplesPerPixel: this.#step }
  }
}

function toByte(sample: number): number {
  return Math.max(-128, Math.min(127, Math.round(sample * 127)))
}
