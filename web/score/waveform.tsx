import type { ProjectState } from '@pendolo/api'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { queryOptions, useQueries, useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef } from 'react'
import { mediaUrl } from '../data/client.ts'
import { masterRecordings } from '../playback/model.ts'
import { drawWave, type Peaks, readPeaks, type Wave } from './peaks.ts'

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

/** Waveforms of a sound's channels, by their order in the file; none before they have come. */
export function useChannelPeaks(contentKey: string, ready: boolean): readonly Peaks[] {
  const { data } = useQuery({
    queryKey: ['channelPeaks', contentKey],
    queryFn: async () => {
      const response = await fetch(mediaUrl(contentKey, 'channelPeaks'))
      if (!response.ok) throw new Error('the waveforms are not ready')
      const bytes = await response.arrayBuffer()
      return Array.from({ length: new DataView(bytes).getInt32(20, true) }, (_, channel) => readPeaks(bytes, channel))
    },
    enabled: ready,
    staleTime: Number.POSITIVE_INFINITY,
  })
  return data ?? NO_PEAKS
}
const NO_PEAKS: readonly Peaks[] = []

/** The waveform of a sound, as soon as it has come; null where it is not made yet. */
export function useLoadPeaks(contentKey: string | null, ready: boolean): () => Promise<Peaks | null> {
  const client = useQueryClient()
  return async () => (contentKey !== null && ready ? client.ensureQueryData(peaksQuery(contentKey, ready)) : null)
}

/** Waveforms of several sounds, by content key; those that are not there yet are missing. */
export function useManyPeaks(sounds: readonly { contentKey: string; ready: boolean }[]): ReadonlyMap<string, Peaks> {
  const queries = useMemo(() => sounds.map(({ contentKey, ready }) => peaksQuery(contentKey, ready)), [sounds])
  // Made anew only when something has come: all that is drawn of it hangs on this.
  const combine = useCallback(
    (results: readonly { readonly data: Peaks | null | undefined }[]) =>
      new Map(results.flatMap(({ data }, i) => (data ? [[sounds[i].contentKey, data] as const] : []))),
    [sounds],
  )
  return useQueries({ queries, combine })
}

/** The recordings of the master as far as their waveforms are there; what they are of is the project. */
export function useMasterWaves(project: ProjectState): readonly Wave[] {
  const recordings = useMemo(() => masterRecordings(project), [project])
  const peaks = useManyPeaks(recordings)
  return useMemo(
    () =>
      recordings.flatMap(({ id, contentKey, start, end }) => {
        const wave = peaks.get(contentKey)
        const seconds = (t: number) => t / FLICKS_PER_SECOND
        return wave ? [{ peaks: wave, start: seconds(start), end: seconds(end), rate: project.doc.placements[id].rate }] : []
      }),
    [recordings, peaks, project.doc.placements],
  )
}

type Canvas = React.CanvasHTMLAttributes<HTMLCanvasElement>

/** A canvas that keeps the waveform of one sound drawn at its own size; `from` and `to` are seconds of that sound. */
export function Waveform({ peaks, ...rest }: { peaks: Peaks | null; from: number; to: number; colour?: string } & Canvas) {
  const waves = useMemo(() => (peaks ? [{ peaks, start: 0, end: Number.POSITIVE_INFINITY, rate: 1 }] : []), [peaks])
  return <Waveforms waves={waves} {...rest} />
}

/** The same for sounds that lie on the master; `from` and `to` are seconds of the master. */
export function Waveforms({
  waves,
  from,
  to,
  colour = 'var(--ink-wave)',
  ...rest
}: { waves: readonly Wave[]; from: number; to: number; colour?: string } & Canvas) {
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
      if (!ctx) return
      const fill = colour.startsWith('var') ? getComputedStyle(canvas).getPropertyValue(colour.slice(4, -1)) : colour
      for (const { peaks, start, rate } of waves) drawWave(ctx, peaks, (from - start) / rate, (to - start) / rate, 0, 0, canvas.width, canvas.height, fill)
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
  }, [waves, from, to, colour])
  return <canvas ref={ref} {...rest} />
}
