import { type Colour, LOOK_BOUNDS, type Look, type LookNumber, looked } from './look.ts'

const NONE: Readonly<Record<LookNumber, number>> = { exposure: 0, warmth: 0, tint: 0, mids: 0, contrast: 1, saturation: 1, sharpness: 0 }
const NUMBERS = Object.keys(LOOK_BOUNDS) as LookNumber[]
/** Colours by which it is told how far two looks lie apart. */
const SOME: readonly Colour[] = [0.1, 0.35, 0.6, 0.85].flatMap((r) =>
  [0.1, 0.35, 0.6, 0.85].flatMap((g) => [0.1, 0.35, 0.6, 0.85].map((b): Colour => [r, g, b])),
)
/** A step of a look that changes is no greater than this, in parts of the scale, unless there would be too many. */
const UNSEEN = 1 / 255
const MOST_STEPS = 64

/** A look between two others, in their numbers; what is not a number is that of the first. @param share of the second, 0..1 */
export function lookBetween(one: Look, other: Look, share: number): Look {
  const out: { [key in keyof Look]: Look[key] } = { ...one }
  for (const key of NUMBERS) {
    const [a, b] = [one[key] ?? NONE[key], other[key] ?? NONE[key]]
    if (a !== NONE[key] || b !== NONE[key]) Object.assign(out, { [key]: a + (b - a) * share })
  }
  return out
}

/** In how many steps one look becomes another, so that none is seen. */
export function lookSteps(one: Look, other: Look): number {
  const to = lookBetween(one, other, 1)
  const apart = Math.max(...SOME.flatMap((c) => looked(one, c).map((x, i) => Math.abs(x - looked(to, c)[i]))))
  return Math.max(1, Math.min(MOST_STEPS, Math.ceil(apart / UNSEEN)))
}
