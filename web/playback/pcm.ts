import { ALL_FORMATS, AudioBufferSink, Input, UrlSource } from 'mediabunny'

const tracks = new Map<string, Promise<(AudioBufferSink | null)[]>>()

async function sinkOf(url: string, track: number): Promise<AudioBufferSink | null> {
  let sinks = tracks.get(url)
  if (!sinks) {
    sinks = new Input({ formats: ALL_FORMATS, source: new UrlSource(url) })
      .getAudioTracks()
      .then((all) => all.map((t) => new AudioBufferSink(t)))
      .catch(() => [])
    tracks.set(url, sinks)
  }
  return (await sinks)[track] ?? null
}

export interface Samples {
  readonly from: number
  readonly rate: number
  readonly values: Float32Array<ArrayBuffer>
}

/**
 * Mono samples of a stretch of a light sound copy, in clip seconds; null where there is no sound.
 * @param of a track of it, and one channel of that; absent: both sides of the first
 */
export async function readSamples(url: string, from: number, to: number, of?: { track: number; channel: number }): Promise<Samples | null> {
  const sink = await sinkOf(url, of?.track ?? 0)
  if (!sink || to <= 0) return null
  let out: Float32Array<ArrayBuffer> | null = null
  let rate = 48000
  const start = Math.max(0, from)
  for await (const { buffer, timestamp } of sink.buffers(start, to)) {
    rate = buffer.sampleRate
    out ??= new Float32Array(Math.ceil((to - start) * rate))
    const [a, b] = of ? [of.channel, of.channel] : [0, Math.min(1, buffer.numberOfChannels - 1)]
    const [left, right] = [buffer.getChannelData(a), buffer.getChannelData(b)]
    const at = Math.round((timestamp - start) * rate)
    for (let i = 0; i < left.length; i++) if (at + i >= 0 && at + i < out.length) out[at + i] = 0.5 * (left[i] + right[i])
  }
  return out ? { from: start, rate, values: out } : null
}
