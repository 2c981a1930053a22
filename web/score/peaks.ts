/** A waveform overview: lowest and highest sample of each piece of equal length. */
export interface PeakLevel {
  readonly perSecond: number
  readonly low: Int8Array
  readonly high: Int8Array
}

/** The same waveform at several resolutions, the finest first: each further one eight times coarser. */
export interface Peaks {
  readonly levels: readonly PeakLevel[]
  /** Greatest value there is, at least 24, so that silence is not drawn as noise. */
  readonly loudest: number
}

/** A waveform and where its sound lies on the master, s; `rate` master seconds pass in each of its own. */
export interface Wave {
  readonly peaks: Peaks
  readonly start: number
  readonly end: number
  readonly rate: number
}

const COARSER = 8
/** Coarser levels are made down to so many pieces. */
const LEAST_PIECES = 512
const QUIET = 24

function coarser({ perSecond, low, high }: PeakLevel): PeakLevel {
  const count = Math.ceil(low.length / COARSER)
  const out = { perSecond: perSecond / COARSER, low: new Int8Array(count), high: new Int8Array(count) }
  for (let i = 0; i < count; i++) {
    let [least, most] = [127, -128]
    for (let k = i * COARSER; k < Math.min(low.length, (i + 1) * COARSER); k++) {
      if (low[k] < least) least = low[k]
      if (high[k] > most) most = high[k]
    }
    out.low[i] = least
    out.high[i] = most
  }
  return out
}

/**
 * Reads one channel of the open ".dat" layout, version 2, 8 bit, and makes the coarser levels.
 * @param channel counted from 0
 */
export function readPeaks(bytes: ArrayBuffer, channel = 0): Peaks {
  const view = new DataView(bytes)
  const count = view.getUint32(16, true)
  const finest: PeakLevel = { perSecond: view.getInt32(8, true) / view.getInt32(12, true), low: new Int8Array(count), high: new Int8Array(count) }
  const channels = Math.max(1, view.getInt32(20, true))
  for (let i = 0; i < count; i++) {
    const at = 24 + 2 * (i * channels + channel)
    finest.low[i] = view.getInt8(at)
    finest.high[i] = view.getInt8(at + 1)
  }
  const levels = [finest]
  while (levels[levels.length - 1].low.length > LEAST_PIECES) levels.push(coarser(levels[levels.length - 1]))
  const { low, high } = levels[levels.length - 1]
  let loudest = QUIET
  for (let i = 0; i < high.length; i++) loudest = Math.max(loudest, high[i], -low[i])
  return { levels, loudest }
}

/** The coarsest level that still has a piece or more a pixel. */
export function levelFor({ levels }: Peaks, secondsPerPixel: number): PeakLevel {
  return levels.findLast((l) => l.perSecond * secondsPerPixel >= 1) ?? levels[0]
}

/**
 * Draws a stretch of a waveform as one filled shape. What it costs depends on the width, not on how long the stretch is.
 * @param from,to seconds of the sound at the left and right edge
 */
export function drawWave(
  ctx: CanvasRenderingContext2D,
  peaks: Peaks,
  from: number,
  to: number,
  x: number,
  y: number,
  width: number,
  height: number,
  colour: string,
): void {
  const level = levelFor(peaks, (to - from) / width)
  const { perSecond, low, high } = level
  const perPixel = ((to - from) * perSecond) / width
  const middle = y + height / 2
  const scale = height / 2 / peaks.loudest
  const first = Math.max(0, Math.ceil(-from * (perSecond / perPixel)))
  const last = Math.min(width, Math.ceil((high.length - from * perSecond) / perPixel))
  if (last <= first) return
  const tops: number[] = []
  const bottoms: number[] = []
  for (let px = first; px < last; px++) {
    const a = Math.max(0, Math.floor(from * perSecond + px * perPixel))
    const b = Math.min(high.length, Math.max(a + 1, Math.floor(from * perSecond + (px + 1) * perPixel)))
    let [least, most] = [0, 0]
    for (let i = a; i < b; i++) {
      if (low[i] < least) least = low[i]
      if (high[i] > most) most = high[i]
    }
    tops.push(middle - Math.max(0.5, most * scale))
    bottoms.push(middle + Math.max(0.5, -least * scale))
  }
  ctx.fillStyle = colour
  ctx.beginPath()
  ctx.moveTo(x + first, tops[0])
  for (let i = 0; i < tops.length; i++) {
    ctx.lineTo(x + first + i, tops[i])
    ctx.lineTo(x + first + i + 1, tops[i])
  }
  for (let i = bottoms.length - 1; i >= 0; i--) {
    ctx.lineTo(x + first + i + 1, bottoms[i])
    ctx.lineTo(x + first + i, bottoms[i])
  }
  ctx.fill()
}
