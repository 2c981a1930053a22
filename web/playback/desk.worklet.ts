import { type DeskNode, DeskRun } from '@pendolo/core/mix'
import type { FromDesk, SentNode, ToDesk } from './types.ts'

/** Meters are told this often, frames. */
const METERS_EVERY = 2048

/** The desk of core, on the audio clock of a page. */
class DeskProcessor extends AudioWorkletProcessor {
  readonly #desk = new DeskRun(sampleRate)
  #nodes: readonly DeskNode[] = []
  #zero = 0
  #speed = 1
  #since = 0
  #peak = 0
  #power = 0

  constructor() {
    super()
    this.port.onmessage = ({ data }: MessageEvent<ToDesk>) => {
      if (data.type === 'set') return this.#set(data.nodes)
      this.#zero = data.at
      this.#speed = data.speed
      this.#desk.play(data.passages)
      if (data.fresh) this.#desk.reset()
    }
  }

  #set(sent: readonly SentNode[]): void {
    const before = new Map(this.#nodes.map((n) => [n.key, n]))
    this.#nodes = sent.map((node) => ({
      ...node,
      levels: node.levels ?? before.get(node.key)?.levels ?? [],
      processing: node.processing ?? before.get(node.key)?.processing ?? {},
    }))
    this.#desk.set(this.#nodes)
  }

  override process(inputs: Float32Array[][], [out]: Float32Array[][]): boolean {
    const sounds = inputs.map((channels) => (channels.length === 0 ? null : channels))
    this.#desk.run(sounds, out as [Float32Array, Float32Array], (currentTime - this.#zero) * this.#speed, this.#speed)
    for (const channel of out)
      for (const x of channel) {
        this.#peak = Math.max(this.#peak, Math.abs(x))
        this.#power += (x * x) / 2
      }
    this.#since += out[0].length
    if (this.#since >= METERS_EVERY) {
      const programme = { peak: this.#peak, rms: Math.sqrt(this.#power / this.#since), reductionDb: 0 }
      this.port.postMessage([...this.#desk.meters(), ['', programme]] satisfies FromDesk)
      this.#since = 0
      this.#peak = 0
      this.#power = 0
    }
    return true
  }
}

registerProcessor('desk', DeskProcessor)
