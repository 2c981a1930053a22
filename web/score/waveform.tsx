import { queryOptions, useQueries, useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { mediaUrl } from '../data/client.ts'
import { drawWave, type Peaks, readPeaks } from './peaks.ts'

function peaksQuery(contentKey: string | null, ready: boolean) {
  return queryOptions({
    queryKey: ['peaks', contentKey],
    queryFn: async () => {
      const response = await fetch(mediaUrl(contentKey ?? '', 'peaks'))
      if (!response.ok) throw new Error('the waveform is not ready')
      return readPeaks(await response.arrayBuffer())
    },
    enabled: contentKey !== null && ready,
    staleTime: Number.POSITIVE_INFINITY,
  })
}

export function usePeaks(contentKey: string | null, ready: boolean): Peaks | null {
  const { data } = useQuery(peaksQuery(contentKey, ready))
  return data ?? null
}

/** Waveforms of several sounds, by content key; those that are not there yet are missing. */
export function useManyPeaks(sounds: readonly { contentKey: string; ready: boolean }[]): ReadonlyMap<string, Peaks> {
  return useQueries({
    queries: sounds.map(({ contentKey, ready }) => peaksQuery(contentKey, ready)),
    combine: (results) => new Map(results.flatMap(({ data }, i) => (data ? [[sounds[i].contentKey, data] as const] : []))),
  })
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
