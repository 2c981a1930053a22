/** What there is in the scope of audio worklets (W3C Web Audio API 1.1), which the DOM's types leave out. */
declare abstract class AudioWorkletProcessor {
  readonly port: MessagePort
  abstract process(inputs: Float32Array[][], outputs: Float32Array[][], parameters: Record<string, Float32Array>): boolean
}
declare function registerProcessor(name: string, processor: new () => AudioWorkletProcessor): void
declare const sampleRate: number
declare const currentTime: number

declare module '*.worklet.ts?worker&url' {
  const url: string
  export default url
}
