import { type Affine, inverse } from './cutout.ts'
import { type Motion, STANDING } from './motion.ts'

/** Pictures are enlarged by no more than this; a camera that shook worse is steadied by less there. */
const MOST_ZOOM = 1.5
/** Room for what lies between two pixels at the edges. */
const EDGE = 1.002
const KEYS = ['x', 'y', 'turn', 'grow'] as const

/** What each picture is to be moved by, and by how many times all are enlarged so that their edges stay out of sight. */
export interface Steadying {
  /** From pixels of a picture to pixels of the steadied one of the same size. */
  readonly maps: readonly Affine[]
  readonly zoom: number
}

/**
 * Evens out the way of a camera: its motions are added up, the way is drawn anew by a Gaussian, and each picture is moved by what lies
 * between both. At both ends the way is thought to go on as it came, turned about its end, so that a pan is kept as it is.
 * @param motions from each picture to the next, the first {@link STANDING}, in pixels of these pictures
 * @param reach half of the Gaussian's length, pictures, ≥ 1; its deviation is half of that
 * @param width,height of the pictures, pixels
 * @throws TypeError for a reach that is none
 */
export function steadying(motions: readonly Motion[], reach: number, width: number, height: number): Steadying {
  if (!(reach >= 1)) throw new TypeError(`a way cannot be evened out over ${reach} pictures`)
  const moved = corrections(motions, Math.round(reach)).map((c) => contained(c, width, height))
  const most = moved.reduce((so, c) => Math.max(so, needed(c, width, height)), 1)
  const zoom = most > 1 + 1e-9 ? most * EDGE : 1
  return { maps: moved.map((c) => mapOf(c, width, height, zoom)), zoom }
}

function corrections(motions: readonly Motion[], reach: number): Motion[] {
  const kernel = Array.from({ length: 2 * reach + 1 }, (_, k) => Math.exp(-0.5 * ((k - reach) / (reach / 2)) ** 2))
  const whole = kernel.reduce((sum, w) => sum + w, 0)
  const n = motions.length
  const [x, y, turn, grow] = KEYS.map((key) => {
    const way = new Float64Array(n)
    for (let i = 1; i < n; i++) way[i] = way[i - 1] + motions[i][key]
    const last = n - 1
    const at = (i: number): number => (i < 0 ? 2 * way[0] - way[Math.min(last, -i)] : i > last ? 2 * way[last] - way[Math.max(0, 2 * last - i)] : way[i])
    return way.map((here, i) => {
      let sum = 0
      for (let k = -reach; k <= reach; k++) sum += kernel[k + reach] * at(i + k)
      return sum / whole - here
    })
  })
  return motions.map((_, i) => ({ x: x[i], y: y[i], turn: turn[i], grow: grow[i] }))
}

/** Moves, turns and sizes a picture about its middle. */
function mapOf({ x, y, turn, grow }: Motion, width: number, height: number, zoom: number): Affine {
  const size = zoom * Math.exp(grow)
  const [a, b] = [size * Math.cos(turn), size * Math.sin(turn)]
  const [u, v] = [width / 2, height / 2]
  return [a, b, -b, a, u + zoom * x - a * u + b * v, v + zoom * y - b * u - a * v]
}

/** By how many times a picture must be enlarged at least so that it fills the frame. */
function needed(motion: Motion, width: number, height: number): number {
  // Without enlargement; the frame's corners shrink towards its middle with what it is enlarged by.
  const [a, b, c, d] = inverse(mapOf(motion, width, height, 1))
  const [u, v] = [-(a * motion.x + c * motion.y), -(b * motion.x + d * motion.y)]
  let most = 0
  for (const [x, y] of [
    [width / 2, height / 2],
    [-width / 2, height / 2],
  ]) {
    const [across, down] = [Math.abs(a * x + c * y), Math.abs(b * x + d * y)]
    const room = [width / 2 - Math.abs(u), height / 2 - Math.abs(v)]
    most = Math.max(most, room[0] > 0 ? across / room[0] : Number.POSITIVE_INFINITY, room[1] > 0 ? down / room[1] : Number.POSITIVE_INFINITY)
  }
  return most
}

/** As much of a motion as needs no larger picture than there may be. */
function contained(motion: Motion, width: number, height: number): Motion {
  if (needed(motion, width, height) * EDGE <= MOST_ZOOM) return motion
  const part = (share: number): Motion => ({ x: share * motion.x, y: share * motion.y, turn: share * motion.turn, grow: share * motion.grow })
  let [least, most] = [0, 1]
  for (let n = 0; n < 20; n++) {
    const middle = (least + most) / 2
    if (needed(part(middle), width, height) * EDGE <= MOST_ZOOM) least = middle
    else most = middle
  }
  return least > 0 ? part(least) : STANDING
}
