import { CLICKS_LATENCY, ClickRun, type Clicks } from './clicks.ts'
import type { Hum } from './hum.ts'
import { type Noise, SPECTRAL_LATENCY, SpectralRun, type Wind } from './noise.ts'

/** What is mended of a recording before all else; each can be heard without. */
export interface Repair {
  readonly hum?: Hum
  readonly clicks?: Clicks
  readonly wind?: Wind
  readonly noise?: Noise
}

/** All that goes through a desk comes so much later, frames, where anything is repaired that must be looked at ahead. */
export const REPAIR_LATENCY = 2048

/** Whether a repair looks ahead. */
export const looksAhead = (repair: Repair | undefined): boolean => repair !== undefined && Boolean(repair.clicks?.on || repair.wind?.on || repair.noise?.on)

/** Repairs that look ahead, over one or two channels; all of them together {@link REPAIR_LATENCY}. */
export class RepairRun {
  readonly #rate: number
  #clicks: ClickRun[] = []
  #spectral: SpectralRun[] = []

  constructor(rate: number) {
    this.#rate = rate
  }

  /**
   * @param channels samples of each, in place
   * @returns by how many frames they come later now
   */
  run({ clicks, wind, noise }: Repair, channels: readonly Float32Array[]): number {
    let later = 0
    if (clicks?.on) {
      while (this.#clicks.length < channels.length) this.#clicks.push(new ClickRun())
      for (const [c, channel] of channels.entries()) this.#clicks[c].run(clicks, channel)
      later += CLICKS_LATENCY
    } else this.#clicks = []
    if (wind?.on || noise?.on) {
      while (this.#spectral.length < channels.length) this.#spectral.push(new SpectralRun(this.#rate))
      for (const [c, channel] of channels.entries()) this.#spectral[c].run(noise, wind, channel)
      later += SPECTRAL_LATENCY
    } else this.#spectral = []
    return later
  }
}
