import { STRENGTH_PER_SECOND } from '@pendolo/core/pulse'
import { useQuery } from '@tanstack/react-query'
import { mediaUrl } from '../data/client.ts'

const HEIGHT = 18

/** Onset strength of a recording, 0..255; null until it was listened to. @param stamp asks anew when it changes */
export function useOnsets(contentKey: string | null, stamp: unknown): Uint8Array | null {
  const { data } = useQuery({
    queryKey: ['onsets', contentKey, stamp],
    queryFn: async () => {
      const response = await fetch(mediaUrl(contentKey ?? '', 'onsets'))
      // Beats that were tapped or taken in need no listening.
      return response.ok ? new Uint8Array(await response.arrayBuffer()) : null
    },
    enabled: contentKey !== null,
    staleTime: Number.POSITIVE_INFINITY,
  })
  return data ?? null
}

interface Curve {
  readonly onsets: Uint8Array
  /** Where the sound begins that they are of, s. */
  readonly begins: number
  readonly from: number
  readonly to: number
  readonly left: number
  readonly width: number
}

/** How strongly the sound sets in, over the beats' feet: a beat belongs on a peak. */
export function OnsetCurve({ onsets, begins, from, to, left, width }: Curve) {
  const own = (from - begins) * STRENGTH_PER_SECOND
  const first = Math.max(0, Math.floor(own))
  const part = onsets.subarray(first, Math.max(0, Math.ceil((to - begins) * STRENGTH_PER_SECOND)))
  if (part.length === 0 || width <= 0) return null
  const scale = width / ((to - from) * STRENGTH_PER_SECOND)
  const points = Array.from(part, (v, i) => `${((first + i - own) * scale).toFixed(1)},${(HEIGHT - (v / 255) * HEIGHT).toFixed(1)}`)
  return (
    <svg width={width} height={HEIGHT} style={{ position: 'absolute', left, top: 68 }} aria-hidden="true">
      <polyline points={points.join(' ')} fill="none" stroke="var(--brass)" strokeWidth="1.1" />
    </svg>
  )
}
