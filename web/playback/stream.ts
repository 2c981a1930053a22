import { ALL_FORMATS, Input, type InputVideoTrack, UrlSource, type VideoSample, VideoSampleSink } from 'mediabunny'

/** Pictures decoded ahead of the clock. */
const AHEAD = 8
/** A jump of more than this many frames is a seek, not a delay. */
const SEEK_FRAMES = 20

/** Decoded pictures of one light copy around the clock; asked for a frame number, it answers with what it has. */
export class FrameStream {
  readonly #rate: number
  readonly #count: number
  readonly #sink: Promise<VideoSampleSink | null>
  #input: Input | null = null
  #held: { frame: number; sample: VideoSample }[] = []
  #run = 0
  #pumpAt = -1
  #room: (() => void) | null = null
  #stillBusy = false
  #stillWanted: number | null = null
  #closed = false
  readonly #changed: () => void

  /**
   * @param rate frames a second of the copy, frame n starts at n / rate
   * @param changed called when a picture asked for while standing has arrived
   */
  constructor(url: string, rate: number, count: number, changed: () => void) {
    this.#rate = rate
    this.#count = count
    this.#changed = changed
    this.#sink = this.#open(url)
  }

  async #open(url: string): Promise<VideoSampleSink | null> {
    try {
      this.#input = new Input({ formats: ALL_FORMATS, source: new UrlSource(url) })
      const track: InputVideoTrack | null = await this.#input.getPrimaryVideoTrack()
      return track ? new VideoSampleSink(track) : null
    } catch {
      return null
    }
  }

  /** The picture of a frame while playing: it, or null when it is not decoded yet. Decoding runs ahead from here. */
  playing(frame: number, speed: number): VideoSample | null {
    const first = this.#held[0]?.frame
    const far = this.#pumpAt < 0 || frame < (first ?? this.#pumpAt) - 1 || frame > this.#pumpAt + SEEK_FRAMES * Math.max(1, speed)
    if (far) this.#startPump(frame)
    // Passed pictures make room.
    while (this.#held.length > 1 && this.#held[1].frame <= frame) this.#held.shift()?.sample.close()
    if (this.#held.length <= AHEAD) this.#room?.()
    const head = this.#held[0]
    return head && head.frame === frame ? head.sample : null
  }

  /** The newest picture not after a frame, when the exact one is late. */
  nearest(frame: number): { frame: number; sample: VideoSample } | null {
    let found: { frame: number; sample: VideoSample } | null = null
    for (const held of this.#held) if (held.frame <= frame) found = held
    return found
  }

  /** The exact picture while standing; null until it is there, then `changed` is called. */
  still(frame: number): VideoSample | null {
    const held = this.#held.find((h) => h.frame === frame)
    if (held) return held.sample
    this.#stopPump()
    this.#stillWanted = frame
    if (!this.#stillBusy) void this.#fetchStill()
    return null
  }

  async #fetchStill(): Promise<void> {
    this.#stillBusy = true
    try {
      const sink = await this.#sink
      while (sink && this.#stillWanted !== null && !this.#closed) {
        const frame = this.#stillWanted
        const run = this.#run
        // Half a frame in: no rounding of container times can lead to the neighbour.
        const sample = await sink.getSample((frame + 0.5) / this.#rate)
        if (!sample) break
        if (this.#closed || run !== this.#run) {
          sample.close()
          continue
        }
        this.#clear()
        this.#held = [{ frame, sample }]
        if (this.#stillWanted === frame) this.#stillWanted = null
        this.#changed()
      }
    } catch {
      this.#stillWanted = null
    } finally {
      this.#stillBusy = false
    }
  }

  #startPump(frame: number): void {
    this.#stopPump()
    this.#pumpAt = frame
    void this.#pump(frame, this.#run)
  }

  #stopPump(): void {
    this.#run++
    this.#pumpAt = -1
    this.#stillWanted = null
    this.#room?.()
  }

  async #pump(from: number, run: number): Promise<void> {
    const sink = await this.#sink
    if (!sink || run !== this.#run || from >= this.#count) return
    this.#clear()
    try {
      for await (const sample of sink.samples(Math.max(0, (from + 0.5) / this.#rate))) {
        if (run !== this.#run || this.#closed) {
          sample.close()
          return
        }
        const frame = Math.round(sample.timestamp * this.#rate)
        this.#held.push({ frame, sample })
        this.#pumpAt = frame
        while (this.#held.length > AHEAD && run === this.#run) {
          await new Promise<void>((resolve) => {
            this.#room = resolve
          })
          this.#room = null
        }
        if (run !== this.#run) return
      }
    } catch {
      // A copy that breaks off shows its last picture; the tile counts as late.
    }
  }

  #clear(): void {
    for (const { sample } of this.#held) sample.close()
    this.#held = []
  }

  /** May be called twice. */
  close(): void {
    if (this.#closed) return
    this.#closed = true
    this.#stopPump()
    this.#clear()
    this.#input?.dispose()
  }
}
