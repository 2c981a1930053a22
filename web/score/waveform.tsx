import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { mediaUrl } from '../data/client.ts'

/** A waveform overview in memory: lowest and highest sample of each hundredth of a second. */
export interface Peaks {
  readonly perSecond: number
  readonly low: Int8Array
  readonly high: Int8Array
}

/** Reads the open ".dat" layout, version 2, 8 bit. */
export function readPeaks(bytes: ArrayBuffer): Peaks {
  const view = new DataView(bytes)
  const count = view.getUint32(16, true)
  const low = new Int8Array(count)
  const high = new Int8Array(count)
  for (let i = 0; i < count; i++) {
    low[i] = view.getInt8(24 + 2 * i)
    high[i] = view.getInt8(25 + 2 * i)
  }
  return { perSecond: view.getInt32(8, true) / view.getInt32(12, true), low, high }
}

export function usePeaks(contentKey: string | null, ready: boolean): Peaks | null {
  const { data } = useQuery({
    queryKey: ['peaks', contentKey],
    queryFn: async () => {
      const response = await fetch(mediaUrl(contentKey ?? '', 'peaks'))
      if (!response.ok) throw new Error('the waveform is not ready')
      return readPeaks(await response.arrayBuffer())
    },
    enabled: contentKey !== null && ready,
    staleTime: Number.POSITIVE_INFINITY,
  })
  return data ?? null
}

/**
 * Draws a stretch of a waveform, one column a pixel.
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
  ctx.fillStyle = colour
  const perPixel = ((to - from) * peaks.perSecond) / width
  const middle = y + height / 2
  let loudest = 24
  for (let i = 0; i < peaks.high.length; i += 7) loudest = Math.max(loudest, peaks.high[i], -peaks.low[i])
  const scale = height / 2 / loudest
  for (let px = 0; px < width; px++) {
    const a = Math.max(0, Math.floor(from * peaks.perSecond + px * perPixel))
    const b = Math.min(peaks.high.length, Math.max(a + 1, Math.floor(from * peaks.perSecond + (px + 1) * perPixel)))
    if (from * peaks.perSecond + px * perPixel < 0 || a >= peaks.high.length) continue
    let low = 0
    let high = 0
    for (let i = a; i < b; i++) {
      if (peaks.low[i] < low) low = peaks.low[i]
      if (peaks.high[i] > high) high = peaks.high[i]
    }
    ctx.fillRect(x + px, middle - high * scale, 1, Math.max(1, (high - low) * scale))
  }
}

/** A canvas that keeps a waveform drawn at its own size. */
export function Waveform({
  peaks,
  from,
  to,
  colour = 'var(--ink-wave)',
  ...rest
}: { peaks: Peaks | null; from: number; to: number; colour?: string } & React.CanvasHTMLAttributes<HTMLCanvasElement>) {
  const ref = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    const canvas = ref.current
    if (!canvas) return
    const draw = () => {
      const { width, height } = canvas.getBoundingClientRect()
      const ratio = window.devicePixelRatio
      canvas.width = Math.round(width * ratio)
      canvas.height = Math.round(height * ratio)
      const ctx = canvas.getContext('2d')
      if (!ctx || !peaks) return
      const fill = colour.startsWith('var') ? getComputedStyle(canvas).getPropertyValue(colour.slice(4, -1)) : colour
      drawWave(ctx, peaks, from, to, 0, 0, canvas.width, canvas.height, fill)
    }
    draw()
    const watch = new ResizeObserver(draw)
    watch.observe(canvas)
    const theme = new MutationObserver(draw)
    theme.observe(document.documentElement, { attributeFilter: ['data-paper'] })
    return () => {
      watch.disconnect()
      theme.disconnect()
    }
  }, [peaks, from, to, colour])
  return <canvas ref={ref} {...rest} />
}
