declare module 'signalsmith-stretch' {
  interface StretchNode extends AudioWorkletNode {
    start(): Promise<unknown>
    latency(): Promise<number>
    schedule(change: { active?: boolean; semitones?: number }): Promise<unknown>
  }
  const make: { (context: AudioContext): Promise<StretchNode>; moduleUrl?: string }
  export default make
}

declare module 'signalsmith-stretch?url' {
  const url: string
  export default url
}
