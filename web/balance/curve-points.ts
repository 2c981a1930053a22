import { type CurveName, type CurvePoint, isStraight, type Look } from '@pendolo/core/picture'

/** Points stay so far apart, from left to right. */
const APART = 0.01

const within = (x: number) => Math.max(0, Math.min(1, x))
const rounded = (x: number) => Math.round(within(x) * 1000) / 1000

/** A curve with one point more; where one is near already that is taken. @returns the points and which of them it is */
export function addedPoint(points: readonly CurvePoint[], [x, y]: CurvePoint): { readonly list: readonly CurvePoint[]; readonly index: number } {
  const near = points.findIndex(([px]) => Math.abs(px - x) < 2 * APART)
  if (near >= 0) return { list: movedPoint(points, near, [points[near][0], y]), index: near }
  const index = points.filter(([px]) => px < x).length
  return { list: [...points.slice(0, index), [rounded(x), rounded(y)], ...points.slice(index)], index }
}

/** A curve with a point elsewhere; it stays between its neighbours. */
export function movedPoint(points: readonly CurvePoint[], index: number, [x, y]: CurvePoint): readonly CurvePoint[] {
  const [least, most] = [(points[index - 1]?.[0] ?? -APART) + APART, (points[index + 1]?.[0] ?? 1 + APART) - APART]
  return points.map((p, i) => (i === index ? [rounded(Math.max(least, Math.min(most, x))), rounded(y)] : p))
}

/** A curve without a point; two stay. */
export const withoutPoint = (points: readonly CurvePoint[], index: number): readonly CurvePoint[] =>
  points.length > 2 ? points.filter((_, i) => i !== index) : points

/** A look with another curve; one that changes nothing is none. */
export function withCurve(look: Look | undefined, name: CurveName, points: readonly CurvePoint[]): Look {
  const { curves = {}, ...rest } = look ?? {}
  const { [name]: _, ...others } = curves
  const next = isStraight(points) ? others : { ...others, [name]: points }
  return Object.keys(next).length > 0 ? { ...rest, curves: next } : rest
}
