import type { Layer } from '@pendolo/core/project'

/** More rows than this leave too little room for the lanes; the highest layers share the last one. */
const MOST_ROWS = 4
/** Height of a row that is alone, and of one of several, px. */
const [ALONE, OF_SEVERAL] = [20, 17]

/** In which row of the band each layer stands. */
export interface LayerRows {
  readonly count: number
  /** From the lowest, by the ids of layers. */
  readonly rowOf: ReadonlyMap<string, number>
  /** Of one row, px. */
  readonly height: number
}

/** @param layers from the lowest to the highest: what lies over something at the same time stands above it */
export function layerRows(layers: readonly Pick<Layer, 'id' | 'from' | 'to'>[]): LayerRows {
  const rowOf = new Map<string, number>()
  for (const [i, { id, from, to }] of layers.entries()) {
    const below = layers.slice(0, i).filter((l) => l.from < to && from < l.to)
    const row = Math.max(-1, ...below.map((l) => rowOf.get(l.id) ?? 0)) + 1
    rowOf.set(id, Math.min(row, MOST_ROWS - 1))
  }
  const count = Math.max(-1, ...rowOf.values()) + 1
  return { count, rowOf, height: count === 1 ? ALONE : OF_SEVERAL }
}
