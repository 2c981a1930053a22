import { ALL_FORMATS, AudioBufferSink, Input, UrlSource } from 'mediabunny'

const sinks = new Map<string, Promise<AudioBufferSink | null>>()

function sinkOf(url: string): Promise<AudioBufferSink | null> {
  let sink = sinks.get(url)
  if (!sink) {
    sink = new Input({ formats: ALL_FORMATS, source: new UrlSource(url) })
      .getPrimaryAudioTrack()
      .then((track) => (track ? new AudioBufferSink(track) : null))
      .catch(() => null)
    sinks.set(url, sink)
  }
  return sink
}

export interface Samples {
  readonly from: number
  readonly rate: number
  readonly values: Float32Array
}

/** Mono samples of a stretch of a light sound copy, in clip seconds; null where there is no sound. */
export async function readSamples(url: string, from: number, to: number): Promise<Samples | null> {
  const sink = await sinkOf(url)
  if (!sink || to <= 0) return null
  let out: Float32Array | null = null
  let rate = 48000
  const start = Math.max(0, from)
  for await (const { buffer, timestamp } of sink.buffers(start, to)) {
    rate = buffer.sampleRate
    out ??= new Float32Array(Math.ceil((to - start) * rate))
    const left = buffer.getChannelData(0)
    const right = buffer.numberOfChannels > 1 ? buffer.getChannelData(1) : left
    const at = Math.round((timestamp - start) * rate)
    for (let i = 0; i < left.length; i++) if (at + i >= 0 && at + i < out.length) out[at + i] = 0.5 * (left[i] + right[i])
  }
  return out ? { from: start, rate, values: out } : null
}
