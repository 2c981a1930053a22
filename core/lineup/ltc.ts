import { powerOfTwo, realSpectrum } from '../signal/index.ts'
import { canDropFrames, frameToTimecode, printRate, type Rate, rateToNumber, timecodeToFrame } from '../time/index.ts'

/** One frame of linear timecode heard in a recording. */
export interface LtcFrame {
  /** Sample at which the frame's first bit begins, to a fraction. */
  readonly at: number
  /** Samples the frame's eighty bits took. */
  readonly length: number
  readonly hours: number
  readonly minutes: number
  readonly seconds: number
  readonly frames: number
  readonly dropFrame: boolean
  /** The eight groups of four user bits, group 1 first. */
  readonly userBits: readonly number[]
}

/** Bits of a frame, and the word that ends it, first bit first (SMPTE ST 12-1, 80-bit linear code). */
const BITS = 80
const SYNC = [0, 0, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 0, 1]
/** Bits a second from 24 frames at half speed to 30 frames at double speed, with some room. */
const SLOWEST_BITS = 900
const FASTEST_BITS = 5000
/** Stretch that lock is sought in, s: three frames at half speed. */
const SEEK_SECONDS = 0.26
/** Share of a timing error that is corrected at once, and how much of it changes the bit length. */
const PHASE_GAIN = 0.2
const PERIOD_GAIN = 0.015
/** Bits without a whole frame after which lock is given up. */
const PATIENCE = 3 * BITS
/** Mean over root mean square of a signal of steady height: music and speech stay below, timecode above even in noise. */
const STEADY = 0.82

interface Tracker {
  /** Boundary between two bits, sample of the whole signal. */
  at: number
  period: number
  /** Integral over the half bit before the boundary. */
  before: number
  level: number
  readonly bits: Uint8Array
  readonly times: Float64Array
  count: number
  sinceFrame: number
}

/**
 * Reads linear timecode out of sound that comes in pieces: bit clock from the spectrum of the signal's steps, bits by
 * integrating half a bit at a time, a phase-locked loop that follows changes of speed, frames by their sync word
 * (biphase mark and layout by SMPTE ST 12-1). Polarity does not matter; level may change slowly.
 */
export class LtcReader {
  readonly frames: LtcFrame[] = []
  readonly #rate: number
  #samples = new Float32Array(0)
  /** Running integral of the samples, one longer. */
  #sums = new Float64Array(1)
  /** Sample of the whole signal that stands first in `#samples`. */
  #first = 0
  #tracker: Tracker | null = null
  #seekAt = 0
  #mean = 0

  /** @param sampleRate Hz; 24 000 or more for double speed, 16 000 for the usual one */
  constructor(sampleRate: number) {
    if (!(sampleRate >= 8000)) throw new TypeError(`timecode needs at least 8000 samples a second, got ${sampleRate}`)
    this.#rate = sampleRate
  }

  /** Takes the next samples, one channel. */
  push(samples: Float32Array): void {
    const keepFrom = Math.max(0, Math.floor((this.#tracker?.at ?? this.#seekAt) - this.#first - this.#rate / 100))
    const kept = this.#samples.subarray(Math.min(keepFrom, this.#samples.length))
    const joined = new Float32Array(kept.length + samples.length)
    joined.set(kept)
    // A slow mean is taken away: recorders leave a constant behind.
    if (this.#first + this.#samples.length === 0) {
      const early = samples.subarray(0, Math.ceil(0.05 * this.#rate))
      this.#mean = early.reduce((s, x) => s + x, 0) / Math.max(1, early.length)
    }
    const slow = 1 / (0.05 * this.#rate)
    for (let i = 0; i < samples.length; i++) {
      this.#mean += slow * (samples[i] - this.#mean)
      joined[kept.length + i] = samples[i] - this.#mean
    }
    this.#first += this.#samples.length - kept.length
    this.#samples = joined
    this.#sums = new Float64Array(joined.length + 1)
    for (let i = 0; i < joined.length; i++) this.#sums[i + 1] = this.#sums[i] + joined[i]
    this.#work(false)
  }

  /** Passes over samples unread; lock is sought anew behind them. */
  skip(count: number): void {
    this.#work(true)
    this.#first += this.#samples.length + count
    this.#samples = new Float32Array(0)
    this.#sums = new Float64Array(1)
    this.#tracker = null
    this.#seekAt = this.#first
  }

  /** Reads what is left when no more samples come. @returns all frames */
  finish(): LtcFrame[] {
    this.#work(true)
    return this.frames
  }

  #end(): number {
    return this.#first + this.#samples.length
  }

  #work(last: boolean): void {
    for (;;) {
      if (!this.#tracker) {
        const window = Math.round(SEEK_SECONDS * this.#rate)
        if (this.#seekAt + window > this.#end()) return
        this.#tracker = this.#seek(this.#seekAt, window)
        if (!this.#tracker) {
          this.#seekAt += window
          continue
        }
      }
      const tracker = this.#tracker
      const known = this.frames[this.frames.length - 1]?.at ?? Number.NEGATIVE_INFINITY
      while (tracker.sinceFrame < PATIENCE) {
        if (tracker.at + 1.5 * tracker.period + 2 > this.#end()) break
        const frame = this.#step(tracker)
        if (frame && frame.at > known) this.frames.push(frame)
      }
      if (tracker.sinceFrame < PATIENCE) {
        if (last) this.#lastBits(tracker)
        return
      }
      this.#seekAt = Math.round(tracker.at)
      this.#tracker = null
    }
  }

  /** The very last frame may end with the recording: what is missing behind it counts as silence. */
  #lastBits(tracker: Tracker): void {
    while (tracker.at + tracker.period <= this.#end() + 0.3 * tracker.period) {
      const frame = this.#step(tracker)
      if (frame) this.frames.push(frame)
    }
  }

  /** Integral of the signal between two instants, in samples of the whole signal. */
  #integral(from: number, to: number): number {
    return this.#integralTo(to) - this.#integralTo(from)
  }

  #integralTo(at: number): number {
    const x = Math.max(0, Math.min(this.#samples.length, at - this.#first))
    const i = Math.floor(x)
    const part = x - i
    return this.#sums[i] + (part > 0 ? part * (this.#samples[i] ?? 0) : 0)
  }

  /** Looks for a bit clock by which the stretch holds at least one whole frame. */
  #seek(from: number, length: number): Tracker | null {
    const at = from - this.#first
    const x = this.#samples.subarray(at, at + length)
    let sum = 0
    let squares = 0
    for (const v of x) {
      sum += Math.abs(v)
      squares += v * v
    }
    const rms = Math.sqrt(squares / length)
    if (rms < 1e-4 || sum / length < STEADY * rms) return null
    for (const { period, phase } of bitClocks(x, this.#rate)) {
      for (const half of [0, 0.5]) {
        // The first boundary of the stretch, which may be its very first sample.
        const inside = (phase + half * period) % period
        const start = from + (inside > 0.75 * period ? inside - period : inside)
        const trial = freshTracker(start, period, this.#integral(start - period / 2, start), rms)
        const end = from + length - 2 * period
        while (trial.at < end) {
          if (this.#step(trial)) {
            // Right: the stretch is read again from its beginning with the clock found.
            return freshTracker(start, period, this.#integral(start - period / 2, start), rms)
          }
        }
      }
    }
    return null
  }

  /** Reads one bit; @returns the frame that it completes */
  #step(tracker: Tracker): LtcFrame | null {
    const { at, period } = tracker
    const first = this.#integral(at, at + period / 2)
    const second = this.#integral(at + period / 2, at + period)
    // Every bit begins with a change of level, so the half before tells of the first half as well.
    const early = first - tracker.before
    const bit = early * second < 0 ? 1 : 0
    tracker.level += 0.05 * ((Math.abs(first) + Math.abs(second)) / period - tracker.level)
    const height = Math.max(1e-6, tracker.level)
    // Before the first sample nothing tells where a change is.
    const offAt = (edge: number, sign: number) =>
      edge - period / 4 < this.#first
        ? 0
        : Math.max(-period / 6, Math.min(period / 6, (sign * this.#integral(edge - period / 4, edge + period / 4)) / (2 * height)))
    let off = offAt(at, -Math.sign(early))
    if (bit === 1) off = (off + offAt(at + period / 2, Math.sign(early))) / 2
    const index = tracker.count % (2 * BITS)
    tracker.bits[index] = bit
    tracker.times[index] = at + off
    tracker.count++
    tracker.sinceFrame++
    tracker.before = second
    tracker.period = Math.max(this.#rate / FASTEST_BITS, Math.min(this.#rate / SLOWEST_BITS, period + PERIOD_GAIN * off))
    tracker.at = at + tracker.period + PHASE_GAIN * off
    if (tracker.count < BITS) return null
    const frame = readFrame(tracker)
    if (frame) tracker.sinceFrame = 0
    return frame
  }
}

function freshTracker(at: number, period: number, before: number, level: number): Tracker {
  return { at, period, before, level, bits: new Uint8Array(2 * BITS), times: new Float64Array(2 * BITS), count: 0, sinceFrame: 0 }
}

/** Bit lengths that the steps of a signal keep time with, likeliest first. */
function bitClocks(x: Float32Array, sampleRate: number): { period: number; phase: number }[] {
  const step = Math.max(1, Math.round(sampleRate / 24000))
  const steps = new Float32Array(x.length)
  let mean = 0
  for (let i = step; i < x.length; i++) {
    steps[i] = Math.abs(x[i] - x[i - step])
    mean += steps[i] / x.length
  }
  for (let i = 0; i < steps.length; i++) steps[i] = (steps[i] - mean) * (0.5 - 0.5 * Math.cos((2 * Math.PI * i) / steps.length))
  const size = powerOfTwo(x.length * 2)
  const { re, im } = realSpectrum(steps, size)
  const power = (k: number) => re[k] * re[k] + im[k] * im[k]
  const low = Math.floor((SLOWEST_BITS * size) / sampleRate)
  const high = Math.min(size / 2 - 1, Math.ceil((2 * FASTEST_BITS * size) / sampleRate))
  let best = low
  for (let k = low; k <= high; k++) if (power(k) > power(best)) best = k
  // The strongest line is the clock of bits or of half bits.
  const out: { period: number; phase: number }[] = []
  for (const part of [1, 2]) {
    let at = Math.round(best / part)
    for (let k = at - 2; k <= at + 2; k++) if (power(k) > power(at)) at = k
    const [a, b, c] = [-1, 0, 1].map((d) => Math.sqrt(power(at + d)))
    const bend = a - 2 * b + c
    const exact = at + (bend < 0 ? (0.5 * (a - c)) / bend : 0)
    const period = size / exact
    if (period < sampleRate / FASTEST_BITS || period > sampleRate / SLOWEST_BITS) continue
    // Phase in the middle of the stretch, where an error of the length counts least, brought back to its beginning.
    const angle = Math.atan2(im[at], re[at])
    const raw = (-angle / (2 * Math.PI)) * (size / at) - step / 2
    const middle = x.length / 2
    const near = raw + Math.round((middle - raw) / (size / at)) * (size / at)
    const phase = near - Math.floor(near / period) * period
    out.push({ period, phase })
  }
  return out
}

/** The frame that the last eighty bits are; null where they do not end with the sync word or are no time of day. */
function readFrame(tracker: Tracker): LtcFrame | null {
  const start = tracker.count - BITS
  const bit = (i: number) => tracker.bits[(start + i) % (2 * BITS)]
  for (let i = 0; i < SYNC.length; i++) if (bit(64 + i) !== SYNC[i]) return null
  const value = (from: number, count: number) => {
    let v = 0
    for (let i = 0; i < count; i++) v |= bit(from + i) << i
    return v
  }
  const digits = (units: number, tens: number, count: number): number => {
    const low = value(units, 4)
    return low > 9 ? Number.NaN : low + 10 * value(tens, count)
  }
  const frames = digits(0, 8, 2)
  const seconds = digits(16, 24, 3)
  const minutes = digits(32, 40, 3)
  const hours = digits(48, 56, 2)
  if (!(frames < 30 && seconds < 60 && minutes < 60 && hours < 24)) return null
  const at = tracker.times[start % (2 * BITS)]
  const lastBit = tracker.times[(start + BITS - 1) % (2 * BITS)]
  return {
    at,
    length: ((lastBit - at) * BITS) / (BITS - 1),
    hours,
    minutes,
    seconds,
    frames,
    dropFrame: bit(10) === 1,
    userBits: [4, 12, 20, 28, 36, 44, 52, 60].map((from) => value(from, 4)),
  }
}

/** What linear timecode in a recording says as a whole. */
export interface LtcFindings {
  /** Label of the first frame read, and where it begins, s of the recording. */
  readonly first: string
  readonly atSeconds: number
  /** Frames a second that the labels count. */
  readonly rate: Rate
  readonly dropFrame: boolean
  readonly framesRead: number
  /** Frames between the first and the last one read, both included, by their labels. */
  readonly framesExpected: number
  /** Date in the user bits of the first frame (SMPTE ST 309 order of digits), "YYYY-MM-DD"; null where there is none. */
  readonly date: string | null
  /** Times since the first frame's midnight, s, as a line over the recording: label seconds = offset + speed × seconds. */
  readonly offsetSeconds: number
  readonly speed: number
  /** Where the labels jump, s of the recording, and by how much, s. */
  readonly jumps: { atSeconds: number; bySeconds: number }[]
}

/** Timecode that contradicts itself or what is asked of it; the message is for people. */
export class LtcError extends Error {
  readonly code = 'timecode'
}

/** Off the line by more than this, frames, is a jump. */
const JUMP_FRAMES = 0.6
/** Runs of fewer frames than this are misread labels. */
const SHORTEST_RUN = 3

/**
 * What the frames of a recording say together: misread ones are left out, jumps are told, midnight is passed.
 * @param frames in the order they were read
 * @param sampleRate samples a second that `at` counts, Hz
 * @param expected rate that the labels ought to count, when something else tells it
 * @returns null when fewer than three frames agree
 * @throws LtcError when the labels count another rate than the expected one
 */
export function ltcFindings(frames: readonly LtcFrame[], sampleRate: number, expected?: Rate): LtcFindings | null {
  if (frames.length < SHORTEST_RUN) return null
  const lengths = frames.map((f) => f.length).sort((a, b) => a - b)
  const heard = sampleRate / lengths[lengths.length >> 1]
  const rate = countedRate(frames, heard)
  if (expected && nominal(expected) !== nominal(rate) && nominal(expected) !== 2 * nominal(rate)) {
    throw new LtcError(
      `the timecode in this sound counts ${nominal(rate)} frames a second, but ${printRate(expected)} was asked for; choose ${printRate(rate)} or look whether this is the right recording`,
    )
  }
  const dropFrame = canDropFrames(rate) && frames.filter((f) => f.dropFrame).length * 2 > frames.length
  const numbered = numbers(frames, rate, dropFrame)
  const runs = runsOf(numbered, lengths[lengths.length >> 1])
  const whole = runs.filter((r) => r.length >= SHORTEST_RUN)
  if (whole.length === 0) return null
  const jumps = whole.slice(1).map((run, i) => {
    const before = whole[i][whole[i].length - 1]
    const after = run[0]
    const due = (after.at - before.at) / lengths[lengths.length >> 1]
    return { atSeconds: after.at / sampleRate, bySeconds: (after.number - before.number - due) / rateToNumber(rate) }
  })
  const longest = whole.reduce((a, b) => (b.length > a.length ? b : a))
  const { offset, slope } = line(longest)
  const speed = (slope * sampleRate) / rateToNumber(rate)
  const first = whole[0][0]
  const lasts = whole.map((run) => run[run.length - 1].number - run[0].number + 1)
  return {
    first: frameToTimecode(first.number, { rate, dropFrame }),
    atSeconds: Math.max(0, first.at / sampleRate),
    rate,
    dropFrame,
    framesRead: whole.reduce((sum, run) => sum + run.length, 0),
    framesExpected: lasts.reduce((sum, n) => sum + n, 0),
    date: dateOf(first.frame.userBits),
    offsetSeconds: offset / rateToNumber(rate),
    speed,
    jumps,
  }
}

function nominal(rate: Rate): number {
  return Math.round(rateToNumber(rate))
}

/** Rate by the highest label that a following second confirms, and by the clock for the thousandth between 30 and 29.97. */
function countedRate(frames: readonly LtcFrame[], heard: number): Rate {
  const turns = new Map<number, number>()
  for (let i = 1; i < frames.length; i++)
    if (frames[i].frames <= 2 && frames[i].seconds === (frames[i - 1].seconds + 1) % 60)
      turns.set(frames[i - 1].frames + 1, (turns.get(frames[i - 1].frames + 1) ?? 0) + 1)
  const most = [...turns].sort((a, b) => b[1] - a[1])[0]?.[0]
  const usual = [24, 25, 30]
  const highest = Math.max(...frames.map((f) => f.frames)) + 1
  // Less than a second was read: what the clock says, not below the labels seen.
  const count =
    most !== undefined && usual.includes(most) ? most : (usual.filter((n) => n >= highest).sort((a, b) => Math.abs(a - heard) - Math.abs(b - heard))[0] ?? 30)
  const drops = frames.filter((f) => f.dropFrame).length * 2 > frames.length
  const slowed = Math.abs((heard / count) * 1.001 - 1) < 0.0004
  return count !== 25 && ((drops && count === 30) || slowed) ? { num: count * 1000, den: 1001 } : { num: count, den: 1 }
}

interface Numbered {
  readonly at: number
  readonly number: number
  readonly frame: LtcFrame
}

/** Frame numbers that go on past midnight. */
function numbers(frames: readonly LtcFrame[], rate: Rate, dropFrame: boolean): Numbered[] {
  const day = timecodeToFrame(`23:59:59:${nominal(rate) - 1}`, { rate, dropFrame }) + 1
  const out: Numbered[] = []
  let days = 0
  const two = (x: number) => String(x).padStart(2, '0')
  for (const frame of frames) {
    let number: number
    try {
      number = timecodeToFrame(`${two(frame.hours)}:${two(frame.minutes)}:${two(frame.seconds)}:${two(frame.frames)}`, { rate, dropFrame })
    } catch {
      continue // a label that the count does not have was misread
    }
    const before = out[out.length - 1]
    if (before && number + days * day < before.number - day / 2) days++
    else if (before && number + days * day > before.number + day / 2 && days > 0) days--
    out.push({ at: frame.at, number: number + days * day, frame })
  }
  return out
}

/** Stretches in which label and clock keep step; single misread labels in between are dropped. */
function runsOf(frames: readonly Numbered[], frameLength: number): Numbered[][] {
  const runs: Numbered[][] = []
  for (const one of frames) {
    const fits = (run: Numbered[] | undefined) => {
      const last = run?.[run.length - 1]
      if (!last) return false
      const due = (one.at - last.at) / frameLength
      return Math.abs(one.number - last.number - due) < JUMP_FRAMES + 0.002 * due
    }
    // A run that a misread label interrupted is taken up again.
    const home = runs.slice(-4).findLast(fits)
    if (home) home.push(one)
    else runs.push([one])
  }
  return runs.sort((a, b) => a[0].at - b[0].at)
}

/** Least squares: number = offset + slope × sample. */
function line(points: readonly Numbered[]): { offset: number; slope: number } {
  const n = points.length
  const meanAt = points.reduce((s, p) => s + p.at, 0) / n
  const meanNumber = points.reduce((s, p) => s + p.number, 0) / n
  let tt = 0
  let tn = 0
  for (const p of points) {
    tt += (p.at - meanAt) ** 2
    tn += (p.at - meanAt) * (p.number - meanNumber)
  }
  const slope = tt > 0 ? tn / tt : 0
  return { offset: meanNumber - slope * meanAt, slope }
}

function dateOf(user: readonly number[]): string | null {
  const [d, D, m, M, y, Y] = user
  const day = d + 10 * D
  const month = m + 10 * M
  if (Math.max(d, m, y, Y) > 9 || day < 1 || day > 31 || month < 1 || month > 12) return null
  return `20${Y}${y}-${M}${m}-${D}${d}`
}
