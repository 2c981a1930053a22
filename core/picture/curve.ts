/** A point of a curve: a number of the picture, and what becomes of it, both 0..1. */
export type CurvePoint = readonly [number, number]

/** Curves of a look; each has at least two points, from left to right. Numbers beyond its ends become what they do at these. */
export interface Curves {
  /** For red, green and blue alike, before their own. */
  readonly all?: readonly CurvePoint[]
  readonly red?: readonly CurvePoint[]
  readonly green?: readonly CurvePoint[]
  readonly blue?: readonly CurvePoint[]
}

export const CURVES = ['all', 'red', 'green', 'blue'] as const
export type CurveName = (typeof CURVES)[number]
export const STRAIGHT: readonly CurvePoint[] = [
  [0, 0],
  [1, 1],
]
export const MOST_POINTS = 16

/** Whether a curve leaves all numbers as they are. */
export const isStraight = (points: readonly CurvePoint[] | undefined): boolean =>
  points === undefined || (points.every(([x, y]) => x === y) && points[0][0] === 0 && points[points.length - 1][0] === 1)

/**
 * What a curve makes of a number; between its points it rises or falls as they do, never beyond them (F. Fritsch and R. Carlson,
 * Monotone piecewise cubic interpolation, 1980).
 * @param points at least two, each further right than the one before
 * @throws TypeError where they are not
 */
export function curveThrough(points: readonly CurvePoint[]): (x: number) => number {
  if (points.length < 2 || points.some(([x], i) => i > 0 && x <= points[i - 1][0]))
    throw new TypeError('a curve needs two points, each further right than the one before')
  const n = points.length
  const slopes = points.slice(1).map(([x, y], i) => (y - points[i][1]) / (x - points[i][0]))
  const tangents = points.map((_, i) => {
    if (i === 0) return slopes[0]
    if (i === n - 1) return slopes[n - 2]
    return slopes[i - 1] * slopes[i] <= 0 ? 0 : (slopes[i - 1] + slopes[i]) / 2
  })
  for (const [i, slope] of slopes.entries()) {
    if (slope === 0) {
      tangents[i] = 0
      tangents[i + 1] = 0
      continue
    }
    const steep = Math.hypot(tangents[i] / slope, tangents[i + 1] / slope)
    if (steep <= 3) continue
    tangents[i] *= 3 / steep
    tangents[i + 1] *= 3 / steep
  }
  return (x) => {
    if (x <= points[0][0]) return points[0][1]
    if (x >= points[n - 1][0]) return points[n - 1][1]
    let i = 0
    while (x >= points[i + 1][0]) i++
    const [[x0, y0], [x1, y1]] = [points[i], points[i + 1]]
    const width = x1 - x0
    const t = (x - x0) / width
    const [a, b] = [t * t * (3 - 2 * t), t * (1 - t)]
    return y0 + (y1 - y0) * a + width * b * ((1 - t) * tangents[i] - t * tangents[i + 1])
  }
}
