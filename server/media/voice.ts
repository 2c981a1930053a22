import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { SPEECH_RATE, VOICE_STEP } from '@pendolo/core/speech'
import * as ort from 'onnxruntime-web'

const BLOCK = SPEECH_RATE * VOICE_STEP
/** Samples of the block before that the model wants to see again. */
const CONTEXT = 64
const STATE = [2, 1, 128]

let session: Promise<ort.InferenceSession> | null = null

function model(): Promise<ort.InferenceSession> {
  // One thread: the work is small, and other recordings are heard at the same time.
  ort.env.wasm.numThreads = 1
  session ??= ort.InferenceSession.create(readFileSync(createRequire(import.meta.url).resolve('@ricky0123/vad-web/dist/silero_vad_v5.onnx')))
  return session
}

/** How likely somebody speaks, by the Silero voice activity model (MIT licence) that a package ships; for a recording that comes in pieces. */
export class VoiceListener {
  #state = new ort.Tensor('float32', new Float32Array(STATE[0] * STATE[1] * STATE[2]), STATE)
  readonly #rate = new ort.Tensor('int64', BigInt64Array.from([BigInt(SPEECH_RATE)]), [])
  readonly #input = new Float32Array(CONTEXT + BLOCK)
  #filled = 0
  readonly #likely: number[] = []

  /** @param samples mono at 16 kHz, following those before */
  async push(samples: Float32Array): Promise<void> {
    for (let at = 0; at < samples.length; ) {
      const part = samples.subarray(at, at + BLOCK - this.#filled)
      this.#input.set(part, CONTEXT + this.#filled)
      this.#filled += part.length
      at += part.length
      if (this.#filled === BLOCK) await this.#hear()
    }
  }

  /** @returns likelihood 0..1 of speech in each {@link VOICE_STEP} */
  async finish(): Promise<Float32Array> {
    if (this.#filled > 0) {
      this.#input.fill(0, CONTEXT + this.#filled)
      await this.#hear()
    }
    return Float32Array.from(this.#likely)
  }

  async #hear(): Promise<void> {
    const net = await model()
    const input = new ort.Tensor('float32', this.#input, [1, CONTEXT + BLOCK])
    const { output, stateN } = await net.run({ input, state: this.#state, sr: this.#rate })
    this.#state = stateN as ort.TypedTensor<'float32'>
    this.#likely.push((output.data as Float32Array)[0])
    this.#input.copyWithin(0, BLOCK)
    this.#filled = 0
  }
}
