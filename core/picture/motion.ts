/** How what a camera sees moves from one picture to the next: about the picture's middle, to the right and down. */
export interface Motion {
  /** Pixels. */
  readonly x: number
  readonly y: number
  /** Radians clockwise. */
  readonly turn: number
  /** Natural logarithm of how many times as large it becomes. */
  readonly grow: number
}

export const STANDING: Motion = { x: 0, y: 0, turn: 0, grow: 0 }

/** Brightness at one size. */
interface Grey {
  readonly data: Uint8Array
  readonly width: number
  readonly height: number
}

/** Side of the fields whose motion is followed, and how far apart they lie, pixels. */
const FIELD = 16
const APART = 14
/** So many fields at most, those with the most in them. */
const MOST_FIELDS = 150
/** A field is followed only where brightness changes in every direction: square of steps from pixel to pixel, on average. */
const LEAST_TEXTURE = 20
/** How far a field is looked for around where it is expected, first and once the motion is known roughly, pixels. */
const REACHES = [5, 2] as const
/** Below this width there is no smaller size to begin with, pixels. */
const SMALLEST = 48
/** Pairs of fields tried, how near a field must lie to what such a pair says, pixels, and the share and number of fields that must. */
const TRIALS = 90
const NEAR = 0.8
const ENOUGH = 0.25
const FEWEST = 6
/** A shift of all of the picture counts where no more than this share of its variance is left behind it, and where there is so much. */
const LEFT = 0.3
const LEAST_VARIANCE = 10
/** Rounds of weighing fields by how well they fit. */
const ROUNDS = 8

/**
 * Follows a camera from picture to picture by the motion of many small fields (block matching: least squared difference without its mean,
 * coarse to fine, between pixels by a parabola), through which one similarity is laid: the pair of fields that most others agree with
 * (Fischler and Bolles, 1981), then least squares weighed by Tukey's biweight. What moves by itself in a smaller part of the picture
 * does not count.
 */
export class MotionFinder {
  readonly #width: number
  readonly #height: number
  #before: Grey[] | null = null

  /** @throws TypeError for pictures that are smaller than two fields */
  constructor(width: number, height: number) {
    if (!(width >= 2 * FIELD && height >= 2 * FIELD)) throw new TypeError(`pictures of ${width}×${height} are too small for their motion to be followed`)
    this.#width = width
    this.#height = height
  }

  /**
   * @param luma brightness of the next picture, row by row, `width` × `height`; it is not kept
   * @returns how what is seen has moved since the picture before; {@link STANDING} for the first, and where nothing can be told
   */
  next(luma: Uint8Array): Motion {
    if (luma.length !== this.#width * this.#height) throw new TypeError(`${luma.length} bytes are no picture of ${this.#width}×${this.#height}`)
    const after = sizes({ data: new Uint8Array(luma), width: this.#width, height: this.#height })
    const before = this.#before
    this.#before = after
    return before ? motionBetween(before, after) : STANDING
  }
}

/** A picture and its halves, down to a small one. */
function sizes(whole: Grey): Grey[] {
  const out = [whole]
  for (let { data, width, height } = whole; width >= 2 * SMALLEST && height >= 4 * FIELD; ) {
    const [w, h] = [width >> 1, height >> 1]
    const half = new Uint8Array(w * h)
    for (let y = 0; y < h; y++) {
      let from = 2 * y * width
      for (let x = 0; x < w; x++, from += 2) half[y * w + x] = (data[from] + data[from + 1] + data[from + width] + data[from + width + 1] + 2) >> 2
    }
    ;({ data, width, height } = { data: half, width: w, height: h })
    out.push({ data, width, height })
  }
  return out
}

/** Mean squared difference of a part of one picture and another that lies elsewhere, without the difference of their means: light may change. */
function difference(a: Grey, b: Grey, left: number, top: number, width: number, height: number, dx: number, dy: number): number {
  let [sum, squares] = [0, 0]
  for (let y = top; y < top + height; y++) {
    let [i, j] = [y * a.width + left, (y + dy) * b.width + left + dx]
    for (let x = 0; x < width; x++, i++, j++) {
      const d = a.data[i] - b.data[j]
      sum += d
      squares += d * d
    }
  }
  const n = width * height
  return squares / n - (sum / n) ** 2
}

/** How unlike two pictures are where the one is shifted: the part that both have counts. */
function unlike(a: Grey, b: Grey, x: number, y: number): number {
  return difference(a, b, Math.max(0, -x), Math.max(0, -y), a.width - Math.abs(x), a.height - Math.abs(y), x, y)
}

/** Where the least of three costs lies, from the middle one, by a parabola. */
const lowest = (less: number, middle: number, more: number): number => (less - more) / (2 * (less - 2 * middle + more) || 1)

/** How all of a picture has moved, in whole pixels. */
function shiftOf(before: readonly Grey[], after: readonly Grey[]): { x: number; y: number } {
  let best = { x: 0, y: 0 }
  for (let level = before.length - 1; level >= 0; level--) {
    const [a, b] = [before[level], after[level]]
    const first = level === before.length - 1
    const [rx, ry] = first ? [a.width >> 2, a.height >> 2] : [1, 1]
    const middle = first ? best : { x: 2 * best.x, y: 2 * best.y }
    let least = Number.POSITIVE_INFINITY
    for (let y = middle.y - ry; y <= middle.y + ry; y++)
      for (let x = middle.x - rx; x <= middle.x + rx; x++) {
        const d = unlike(a, b, x, y)
        if (d < least) {
          least = d
          best = { x, y }
        }
      }
  }
  return best
}

interface Point {
  readonly x: number
  readonly y: number
}

/** Upper left corners of the fields with the most in them. */
function fieldsOf({ data, width, height }: Grey): Point[] {
  const found: { x: number; y: number; texture: number }[] = []
  const [columns, rows] = [Math.floor((width - FIELD - 2) / APART), Math.floor((height - FIELD - 2) / APART)]
  const [left, top] = [(width - FIELD - columns * APART) >> 1, (height - FIELD - rows * APART) >> 1]
  for (let row = 0; row <= rows; row++)
    for (let column = 0; column <= columns; column++) {
      const [x, y] = [left + column * APART, top + row * APART]
      let [across, down, both] = [0, 0, 0]
      for (let v = y; v < y + FIELD; v++)
        for (let u = x; u < x + FIELD; u++) {
          const i = v * width + u
          const [gx, gy] = [data[i + 1] - data[i], data[i + width] - data[i]]
          across += gx * gx
          down += gy * gy
          both += gx * gy
        }
      // The lesser eigenvalue (Shi and Tomasi, 1994).
      const texture = ((across + down) / 2 - Math.hypot((across - down) / 2, both)) / FIELD ** 2
      if (texture >= LEAST_TEXTURE) found.push({ x, y, texture })
    }
  return found.sort((a, b) => b.texture - a.texture).slice(0, MOST_FIELDS)
}

/** A field's middle before and after, from the picture's middle. */
interface Step {
  readonly from: Point
  readonly to: Point
}

/** x′ = a x − b y + x, y′ = b x + a y + y. */
interface Similarity {
  readonly a: number
  readonly b: number
  readonly x: number
  readonly y: number
}

const through = ({ a, b, x, y }: Similarity, p: Point): Point => ({ x: a * p.x - b * p.y + x, y: b * p.x + a * p.y + y })

/** Where a field lies in the next picture, near to where it is expected; null where the best place is the last one that was looked at. */
function followed(a: Grey, b: Grey, corner: Point, expected: Similarity, reach: number): Step | null {
  const middle = { x: a.width / 2, y: a.height / 2 }
  const from = { x: corner.x + FIELD / 2 - middle.x, y: corner.y + FIELD / 2 - middle.y }
  const to = through(expected, from)
  const [dx, dy] = [Math.round(to.x - from.x), Math.round(to.y - from.y)]
  const [x, y] = [corner.x + dx, corner.y + dy]
  if (x < reach || y < reach || x + FIELD + reach > b.width || y + FIELD + reach > b.height) return null
  const side = 2 * reach + 1
  const costs = new Float64Array(side * side)
  let best = 0
  for (let i = 0; i < costs.length; i++) {
    costs[i] = difference(a, b, corner.x, corner.y, FIELD, FIELD, dx - reach + (i % side), dy - reach + Math.floor(i / side))
    if (costs[i] < costs[best]) best = i
  }
  const [column, row] = [best % side, Math.floor(best / side)]
  if (column === 0 || row === 0 || column === side - 1 || row === side - 1) return null
  const between = (step: number) => lowest(costs[best - step], costs[best], costs[best + step])
  return { from, to: { x: from.x + dx - reach + column + between(1), y: from.y + dy - reach + row + between(side) } }
}

/** The similarity that carries one pair of points onto another; null where they lie together. */
function ofPair(one: Step, other: Step): Similarity | null {
  const [px, py] = [other.from.x - one.from.x, other.from.y - one.from.y]
  const [qx, qy] = [other.to.x - one.to.x, other.to.y - one.to.y]
  const square = px * px + py * py
  if (square < (2 * FIELD) ** 2) return null
  const [a, b] = [(px * qx + py * qy) / square, (px * qy - py * qx) / square]
  return { a, b, x: one.to.x - a * one.from.x + b * one.from.y, y: one.to.y - b * one.from.x - a * one.from.y }
}

const off = (by: Similarity, { from, to }: Step): number => {
  const p = through(by, from)
  return Math.hypot(p.x - to.x, p.y - to.y)
}

/** The similarity with the least weighed squares. */
function laid(steps: readonly Step[], weights: readonly number[]): Similarity | null {
  const all = weights.reduce((sum, w) => sum + w, 0)
  const mean = (of: (s: Step) => number) => steps.reduce((sum, s, i) => sum + weights[i] * of(s), 0) / all
  const [px, py, qx, qy] = [mean((s) => s.from.x), mean((s) => s.from.y), mean((s) => s.to.x), mean((s) => s.to.y)]
  let [along, across, square] = [0, 0, 0]
  for (const [i, { from, to }] of steps.entries()) {
    const [x, y, u, v] = [from.x - px, from.y - py, to.x - qx, to.y - qy]
    along += weights[i] * (x * u + y * v)
    across += weights[i] * (x * v - y * u)
    square += weights[i] * (x * x + y * y)
  }
  if (!(square > 0)) return null
  const [a, b] = [along / square, across / square]
  return { a, b, x: qx - a * px + b * py, y: qy - b * px - a * py }
}

/** One similarity through the steps of most fields; null where too few agree. */
function agreed(steps: readonly Step[]): Similarity | null {
  if (steps.length < FEWEST) return null
  let best: Similarity | null = null
  let most = 0
  // Pairs by a plain sequence, so that the same pictures always give the same motion (Park and Miller, 1988).
  let seed = 1
  const any = () => {
    seed = (seed * 48271) % 2147483647
    return steps[seed % steps.length]
  }
  for (let n = 0; n < TRIALS; n++) {
    const by = ofPair(any(), any())
    const near = by ? steps.filter((s) => off(by, s) < NEAR).length : 0
    if (near > most) [best, most] = [by, near]
  }
  if (!best || most < Math.max(FEWEST, ENOUGH * steps.length)) return null
  for (let n = 0; n < ROUNDS; n++) {
    const offs = steps.map((s) => off(best as Similarity, s))
    const near = offs.filter((d) => d < 2 * NEAR).sort((x, y) => x - y)
    const limit = Math.max(0.1, 4.685 * 1.4826 * (near[near.length >> 1] ?? 0))
    const better = laid(
      steps,
      offs.map((d) => (d < limit ? (1 - (d / limit) ** 2) ** 2 : 0)),
    )
    if (!better) break
    best = better
  }
  return best
}

/** How a picture has moved that has too little in it for its fields: as a whole, if that explains it. */
function asWhole([a]: readonly Grey[], [b]: readonly Grey[], { x, y }: Point): Motion {
  const [sum, squares] = a.data.reduce(([s, q], v) => [s + v, q + v * v], [0, 0])
  const variance = squares / a.data.length - (sum / a.data.length) ** 2
  const here = unlike(a, b, x, y)
  if (variance < LEAST_VARIANCE || here > LEFT * variance) return STANDING
  const [left, right, above, below] = [unlike(a, b, x - 1, y), unlike(a, b, x + 1, y), unlike(a, b, x, y - 1), unlike(a, b, x, y + 1)]
  return { ...STANDING, x: x + lowest(left, here, right), y: y + lowest(above, here, below) }
}

function motionBetween(before: readonly Grey[], after: readonly Grey[]): Motion {
  const fields = fieldsOf(before[0])
  const shift = shiftOf(before, after)
  let expected: Similarity = { a: 1, b: 0, ...shift }
  for (const reach of REACHES) {
    const steps = fields.flatMap((corner) => followed(before[0], after[0], corner, expected, reach) ?? [])
    const found = agreed(steps)
    // What does not hang together, as at a cut, is no motion of a camera.
    if (!found) return asWhole(before, after, shift)
    expected = found
  }
  const { a, b, x, y } = expected
  return { x, y, turn: Math.atan2(b, a), grow: Math.log(Math.hypot(a, b)) }
}
