/** What somebody who knows the music says of it; the search obeys. */
export interface PulseWishes {
  /** About so many beats a minute: level (half, double) and range of the search. */
  readonly tempoBpm?: number
  /** Beats a bar. */
  readonly metre?: number
  /** Stretches whose beats are known, for example tapped or locked ones: level and phase of all that lies around follow them. */
  readonly known?: readonly KnownBeats[]
}

/** Beats of a stretch, s, ascending; which of them begin a bar, as indices. */
export interface KnownBeats {
  readonly beats: readonly number[]
  readonly downbeats: readonly number[]
}

export const LEAST_TEMPO = 20
export const MOST_TEMPO = 400
export const METRES_ASKED = [2, 3, 4, 5, 6, 7, 8, 9, 12] as const

/** Beats a minute of known stretches, the middle of all distances; null where nothing is known. */
export function knownTempo(known: readonly KnownBeats[] = []): number | null {
  const distances = known.flatMap(({ beats }) => beats.slice(1).map((t, i) => t - beats[i])).sort((a, b) => a - b)
  const middle = distances[distances.length >> 1]
  return middle > 0 ? 60 / middle : null
}
