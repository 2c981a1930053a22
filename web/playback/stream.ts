import { ALL_FORMATS, Input, type InputVideoTrack, UrlSource, type VideoSample, VideoSampleSink } from 'mediabunny'
import type { Picture } from './picture.ts'

/** Pictures decoded ahead of the clock. */
const AHEAD = 8
/** A jump of more than this is a seek, not a delay; s of the clip. */
const SEEK_SECONDS = 0.8
/** Less than an instant of the edit's time: a picture whose time has come by the same sum of fractions has come. */
const SAME = 1e-9

/** A decoded picture and the times of its copy between which it is shown, half-open, s. */
interface Held {
  readonly from: number
  readonly to: number
  readonly sample: Picture
}

/** Decoded pictures of one light copy around the clock; asked for a time of it, it answers with what it has. */
export class FrameStream {
  readonly #sink: Promise<VideoSampleSink | null>
  #input: Input | null = null
  #held: Held[] = []
  #run = 0
  #pumpAt = -1
  /** Whether the pump has come to the last picture. */
  #pumped = false
  #room: (() => void) | null = null
  #stillBusy = false
  #stillWanted: number | null = null
  #bothWanted = false
  /** Of the picture that was found to have none that follows it. */
  #endsAt: number | null = null
  #closed = false
  readonly #changed: () => void
  readonly #take: (sample: VideoSample) => Promise<Picture>

  /**
   * @param changed called when a picture asked for while standing has arrived
   * @param take what becomes of each decoded picture
   */
  constructor(url: string, changed: () => void, take: (sample: VideoSample) => Promise<Picture> = async (sample) => sample) {
    this.#changed = changed
    this.#take = take
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

  /** The picture shown at a time while playing: it, or null when it is not decoded yet. Decoding runs ahead from here. */
  playing(time: number, speed: number): Picture | null {
    const first = this.#held[0]?.from
    const far = this.#pumpAt < 0 || time < (first ?? this.#pumpAt) - SAME || (!this.#pumped && time > this.#pumpAt + SEEK_SECONDS * Math.max(1, speed))
    if (far) this.#startPump(time, this.#held.length === 1 && shows(this.#held[0], time))
    // Passed pictures make room.
    while (this.#held.length > 1 && this.#held[1].from <= time + SAME) this.#held.shift()?.sample.close()
    if (this.#held.length <= AHEAD) this.#room?.()
    const head = this.#held[0]
    return head && shows(head, time) ? head.sample : null
  }

  /** The newest picture not after a time, when the exact one is late. */
  nearest(time: number): Picture | null {
    return this.#held.findLast((held) => held.from <= time + SAME)?.sample ?? null
  }

  /** The picture that follows the one of a time, as far as it is there, and how much of the way to it is gone, 0..1; null where none follows. */
  following(time: number): { readonly sample: Picture; readonly share: number } | null {
    const at = this.#held.findIndex((h) => shows(h, time))
    const [head, next] = [this.#held[at], this.#held[at + 1]]
    if (at < 0 || !next) return null
    return { sample: next.sample, share: Math.max(0, Math.min(1, (time - head.from) / (next.from - head.from))) }
  }

  /**
   * The exact picture while standing; null until it is there, then `changed` is called.
   * @param both with the one that follows it, as far as there is one
   */
  still(time: number, both = false): Picture | null {
    const at = this.#held.findIndex((h) => shows(h, time))
    if (at >= 0 && (!both || this.#held[at + 1] || this.#endsAt === this.#held[at].from)) return this.#held[at].sample
    this.#stopPump()
    this.#stillWanted = time
    this.#bothWanted = both
    if (!this.#stillBusy) void this.#fetchStill()
    return null
  }

  /** Standing at a time whose picture is there: what follows is decoded ahead, so that playing can begin. */
  prime(time: number): void {
    if (this.#pumpAt >= 0 || this.#stillBusy || !this.#held.some((h) => shows(h, time))) return
    this.#startPump(time, true)
  }

  async #fetchStill(): Promise<void> {
    this.#stillBusy = true
    try {
      const sink = await this.#sink
      while (sink && this.#stillWanted !== null && !this.#closed) {
        const time = this.#stillWanted
        const run = this.#run
        const sample = await sink.getSample(time + SAME)
        if (!sample) break
        if (this.#closed || run !== this.#run) {
          sample.close()
          continue
        }
        const shown = shownOf(sample)
        const picture = await this.#take(sample)
        const next = this.#bothWanted ? await this.#fetchFollowing(sink, shown) : null
        if (this.#closed || run !== this.#run) {
          picture.close()
          next?.sample.close()
          continue
        }
        this.#clear()
        // The last picture of a copy stays.
        this.#held = [{ from: shown.from, to: Math.max(shown.to, time + 2 * SAME), sample: picture }]
        if (next) this.#held.push(next)
        else if (this.#bothWanted) this.#endsAt = shown.from
        if (this.#stillWanted === time) this.#stillWanted = null
        this.#changed()
      }
    } catch {
      this.#stillWanted = null
    } finally {
      this.#stillBusy = false
    }
  }

  /** The picture that follows one; null where that is the last. */
  async #fetchFollowing(sink: VideoSampleSink, { from, to }: Omit<Held, 'sample'>): Promise<Held | null> {
    const sample = await sink.getSample(to + SAME)
    if (!sample) return null
    const shown = shownOf(sample)
    if (shown.from > from) return { ...shown, sample: await this.#take(sample) }
    sample.close()
    return null
  }

  /** @param keeps until the first picture comes, what is held may be shown */
  #startPump(time: number, keeps: boolean): void {
    this.#stopPump()
    this.#pumpAt = time
    this.#pumped = false
    void this.#pump(time, this.#run, keeps)
  }

  #stopPump(): void {
    this.#run++
    this.#pumpAt = -1
    this.#stillWanted = null
    this.#room?.()
  }

  async #pump(from: number, run: number, keeps: boolean): Promise<void> {
    const sink = await this.#sink
    if (!sink || run !== this.#run) return
    let old = keeps
    if (!old) this.#clear()
    try {
      for await (const sample of sink.samples(Math.max(0, from + SAME))) {
        if (run !== this.#run || this.#closed) {
          sample.close()
          return
        }
        const shown = shownOf(sample)
        const picture = await this.#take(sample)
        if (run !== this.#run || this.#closed) {
          picture.close()
          return
        }
        if (old) this.#clear()
        old = false
        this.#held.push({ ...shown, sample: picture })
        this.#pumpAt = shown.from
        while (this.#held.length > AHEAD && run === this.#run) {
          await new Promise<void>((resolve) => {
            this.#room = resolve
          })
          this.#room = null
        }
        if (run !== this.#run) return
      }
      this.#pumped = true
      const last = this.#held.pop()
      if (last) this.#held.push({ ...last, to: Number.POSITIVE_INFINITY })
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

const shownOf = ({ timestamp, duration }: VideoSample) => ({ from: timestamp, to: timestamp + duration })
const shows = ({ from, to }: Held, time: number): boolean => from <= time + SAME && time + SAME < to
