import { type Colour, LOOK_BOUNDS, type Look, type LookNumber, lightOf, looking } from './look.ts'

/** Lightness and two differences of colour. */
type Perceived = readonly [number, number, number]

/**
 * Lightness and two colour differences in which equal steps look about equal (Oklab; B. Ottosson, A perceptual color space for image
 * processing, 2020). @returns L 0..1, a and b about −0.4..0.4
 */
function perceivedLight([x, y, z]: Colour): Perceived {
  const l = Math.cbrt(0.4122214708 * x + 0.5363325363 * y + 0.0514459929 * z)
  const m = Math.cbrt(0.2119034982 * x + 0.6806995451 * y + 0.1073969566 * z)
  const s = Math.cbrt(0.0883024619 * x + 0.2817188376 * y + 0.6299787005 * z)
  return [
    0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s,
    1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
    0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
  ]
}

/** The same of a colour as numbers of a picture. */
export const perceived = (colour: Colour): Perceived => perceivedLight(lightOf(colour))

/** Parts of the lightness that are compared, and how many bands of it have a colour of their own. */
const QUANTILES = [0.02, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.98]
const BANDS = 6
/** How much a difference of colour counts beside one of lightness. */
const COLOUR_WEIGHT = 2.5
const SPREAD_WEIGHT = 1.5

/** What pictures have in common though they show the same from elsewhere: how light is spread, and the colour of each lightness. */
function features(perceptions: readonly Perceived[]): number[] {
  const all = [...perceptions].sort((a, b) => a[0] - b[0])
  const out: number[] = []
  for (const q of QUANTILES) out.push(all[Math.min(all.length - 1, Math.floor(q * all.length))][0])
  for (let band = 0; band < BANDS; band++) {
    const part = all.slice(Math.floor((band * all.length) / BANDS), Math.floor(((band + 1) * all.length) / BANDS))
    for (const c of [1, 2]) out.push((COLOUR_WEIGHT * part.reduce((sum, p) => sum + p[c], 0)) / Math.max(1, part.length))
  }
  for (const c of [1, 2]) {
    const mean = all.reduce((sum, p) => sum + p[c], 0) / all.length
    out.push(SPREAD_WEIGHT * Math.sqrt(all.reduce((sum, p) => sum + (p[c] - mean) ** 2, 0) / all.length))
  }
  return out
}

/** How near colours are that draw each other, from the first round to the last, and what a colour without a counterpart weighs against. */
const REACHES = [0.12, 0.1, 0.08, 0.06, 0.05]
/** Share of a colour's neighbourhood from which on it has a counterpart. */
const LEAST_SHARE = 0.004

/** So near colours are the same thing. */
const NEAR = 0.02

const apartness = (a: Perceived, b: Perceived): number => (a[0] - b[0]) ** 2 + (COLOUR_WEIGHT * (a[1] - b[1])) ** 2 + (COLOUR_WEIGHT * (a[2] - b[2])) ** 2

/**
 * Where each colour is drawn to by the other camera's colours near it: to the middle of those, as far as it differs from the middle
 * of its own near it. So a cloth that fills much of one picture and little of the other draws both alike (mean shift after
 * D. Comaniciu and P. Meer, 2002; pairing by nearness after P. Besl and N. McKay, 1992).
 */
function drawn(own: readonly Perceived[], reference: readonly Perceived[], reach: number): { readonly to: Perceived; readonly weight: number }[] {
  const middle = (of: Perceived, among: readonly Perceived[]) => {
    const sum = [0, 0, 0]
    let weight = 0
    for (const p of among) {
      const distance = apartness(p, of)
      if (distance > 9 * reach * reach) continue
      const w = Math.exp(-distance / (2 * reach * reach))
      weight += w
      for (let c = 0; c < 3; c++) sum[c] += w * p[c]
    }
    return { weight: weight / among.length, at: sum.map((x) => x / Math.max(1e-12, weight)) }
  }
  return own.map((p) => {
    const [here, there] = [middle(p, own), middle(p, reference)]
    const weight = there.weight / (there.weight + LEAST_SHARE)
    return { weight, to: [0, 1, 2].map((c) => p[c] + there.at[c] - here.at[c]) as unknown as Perceived }
  })
}

/** Share of some colours that have none near them among others. */
function unpaired(some: readonly Perceived[], others: readonly Perceived[]): number {
  const odd = some.reduce((sum, p) => {
    let nearest = Number.POSITIVE_INFINITY
    for (const q of others) nearest = Math.min(nearest, apartness(p, q))
    return sum + 1 - Math.exp(-nearest / (2 * NEAR * NEAR))
  }, 0)
  return odd / some.length
}

/** What is fitted: all that changes colours. */
type Fitted = Exclude<LookNumber, 'sharpness'>
const NONE: Readonly<Record<Fitted, number>> = { exposure: 0, warmth: 0, tint: 0, mids: 0, contrast: 1, saturation: 1 }
/** How far each number may lie from none before it costs as much as a visible difference. */
const KEYS = Object.keys(NONE) as Fitted[]
const EASY: Readonly<Record<Fitted, number>> = { exposure: 3, warmth: 1, tint: 1, mids: 1, contrast: 0.3, saturation: 0.3 }
/** What a number costs at its easy distance: so that what the pictures do not tell stays as it is. */
const COST = 0.03
/** Fewer colours than these tell nothing. */
export const FEWEST_COLOURS = 50
/** Colours that are paired by nearness. */
const PAIRED = 400

const lookOf = (at: readonly number[]): Look => Object.fromEntries(KEYS.map((key, i) => [key, at[i]]))

/**
 * The look under which colours of one camera are those of another that saw the same from elsewhere: first by the spread of lightness
 * and the mean colour of its bands, then by pairing what is near.
 * @param own colours of many moments, {@link FEWEST_COLOURS} at least
 * @param reference colours of the same moments
 * @throws TypeError for fewer
 */
export function matched(own: readonly Colour[], reference: readonly Colour[]): Look {
  if (own.length < FEWEST_COLOURS || reference.length < FEWEST_COLOURS)
    throw new TypeError(`${own.length} and ${reference.length} colours are too few to be compared`)
  const there = reference.map((c) => perceivedLight(lightOf(c)))
  const lights = own.map(lightOf)
  const seen = (at: readonly number[], of: readonly Colour[]) => {
    const through = looking(lookOf(at))
    return of.map((light) => perceivedLight(lightOf(through(light))))
  }
  const costs = (at: readonly number[]) => KEYS.map((key, i) => (COST * (at[i] - NONE[key])) / EASY[key])
  const wanted = features(there)
  const none = KEYS.map((key) => NONE[key])
  const spread = leastSquares(none, (x) => [...features(seen(x, lights)).map((f, i) => f - wanted[i]), ...costs(x)], 40)
  const some = <T>(list: readonly T[]) => list.filter((_, i) => Math.floor((i * PAIRED) / list.length) !== Math.floor(((i - 1) * PAIRED) / list.length))
  const [few, others] = [some(lights), some(there)]
  const paired = (from: readonly number[]) =>
    REACHES.reduce((at, reach) => {
      const pairs = drawn(seen(at, few), others, reach)
      const share = Math.sqrt(pairs.length)
      const leftOver = (x: readonly number[]) => {
        const found = seen(x, few)
        const out = costs(x)
        for (const [i, { to, weight }] of pairs.entries()) {
          const w = weight / share
          out.push(w * (found[i][0] - to[0]), w * COLOUR_WEIGHT * (found[i][1] - to[1]), w * COLOUR_WEIGHT * (found[i][2] - to[2]))
        }
        return out
      }
      return leastSquares(at, leftOver, 3)
    }, from)
  // Of pictures with little in common the spread misleads: what was alike before is looked at too.
  const [at] = [paired(spread), paired(none)]
    .map((one) => {
      const found = seen(one, few)
      return { one, odd: Math.min(unpaired(found, others), unpaired(others, found)) + energy(costs(one)) }
    })
    .sort((a, b) => a.odd - b.odd)
    .map(({ one }) => one)
  return Object.fromEntries(KEYS.map((key, i) => [key, Math.round(at[i] * 1000) / 1000]).filter(([key, x]) => x !== NONE[key as Fitted]))
}

/** Step by which slopes are felt. */
const STEP = 0.01

/** The numbers at which what is left over is least (K. Levenberg, 1944; D. Marquardt, 1963), within the bounds of a look. */
function leastSquares(from: readonly number[], leftOver: (at: readonly number[]) => readonly number[], rounds: number): readonly number[] {
  let at = from
  let now = leftOver(at)
  let damping = 0.01
  for (let round = 0; round < rounds && damping < 1e6; round++) {
    const slopes = KEYS.map((_, i) => {
      const moved = leftOver(at.map((x, k) => (k === i ? x + STEP : x)))
      return moved.map((x, n) => (x - now[n]) / STEP)
    })
    const next = solved(
      slopes.map((a, i) => slopes.map((b, k) => dot(a, b) * (i === k ? 1 + damping : 1) + (i === k ? 1e-9 : 0))),
      slopes.map((a) => -dot(a, now)),
    ).map((d, i) => Math.max(LOOK_BOUNDS[KEYS[i]][0], Math.min(LOOK_BOUNDS[KEYS[i]][1], at[i] + d)))
    const then = leftOver(next)
    if (energy(then) < energy(now)) {
      const settled = energy(now) - energy(then) < 1e-7
      at = next
      now = then
      damping /= 5
      if (settled) break
    } else damping *= 4
  }
  return at
}

const energy = (r: readonly number[]): number => r.reduce((sum, x) => sum + x * x, 0)
const dot = (a: readonly number[], b: readonly number[]) => a.reduce((sum, x, i) => sum + x * b[i], 0)

/** Solves a small set of linear equations by elimination with the greatest pivot. */
function solved(matrix: readonly (readonly number[])[], right: readonly number[]): number[] {
  const rows = matrix.map((row, i) => [...row, right[i]])
  const n = rows.length
  for (let c = 0; c < n; c++) {
    const pivot = rows.reduce((best, row, i) => (i >= c && Math.abs(row[c]) > Math.abs(rows[best][c]) ? i : best), c)
    ;[rows[c], rows[pivot]] = [rows[pivot], rows[c]]
    for (let r = c + 1; r < n; r++) {
      const by = rows[r][c] / rows[c][c]
      for (let k = c; k <= n; k++) rows[r][k] -= by * rows[c][k]
    }
  }
  const out = new Array<number>(n).fill(0)
  for (let r = n - 1; r >= 0; r--) out[r] = (rows[r][n] - rows[r].slice(r + 1, n).reduce((sum, x, i) => sum + x * out[r + 1 + i], 0)) / rows[r][r]
  return out
}
