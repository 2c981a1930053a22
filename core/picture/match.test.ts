import { type Colour, looked } from './look.ts'
import { matched, perceived } from './match.ts'

/** A generator of numbers 0..1 that always gives the same (xorshift32). */
function numbers(seed: number): () => number {
  let x = seed * 2654435761 || 1
  return () => {
    x ^= x << 13
    x ^= x >>> 17
    x ^= x << 5
    return (x >>> 0) / 2 ** 32
  }
}

/** CIE L*a*b* of a colour whose numbers are those of ITU-R BT.709 at 2.4, white D65. */
function lab([r, g, b]: Colour): [number, number, number] {
  const [x, y, z] = [r, g, b].map((n) => Math.max(0, n) ** 2.4)
  const f = (t: number) => (t > 216 / 24389 ? Math.cbrt(t) : (t * 24389) / 27 / 116 + 16 / 116)
  const [fx, fy, fz] = [
    f((0.4124 * x + 0.3576 * y + 0.1805 * z) / 0.95047),
    f(0.2126 * x + 0.7152 * y + 0.0722 * z),
    f((0.0193 * x + 0.1192 * y + 0.9505 * z) / 1.08883),
  ]
  return [116 * fy - 16, 500 * (fx - fy), 200 * (fy - fz)]
}

/** CIEDE2000 (G. Sharma, W. Wu, E. Dalal, 2005). */
function deltaE(one: Colour, other: Colour): number {
  const [[l1, a1, b1], [l2, a2, b2]] = [lab(one), lab(other)]
  const [rad, seven] = [Math.PI / 180, 25 ** 7]
  const mean = (Math.hypot(a1, b1) + Math.hypot(a2, b2)) / 2
  const g = 0.5 * (1 - Math.sqrt(mean ** 7 / (mean ** 7 + seven)))
  const [p1, p2] = [(1 + g) * a1, (1 + g) * a2]
  const [c1, c2] = [Math.hypot(p1, b1), Math.hypot(p2, b2)]
  const hue = (a: number, b: number) => (a === 0 && b === 0 ? 0 : (Math.atan2(b, a) / rad + 360) % 360)
  const [h1, h2] = [hue(p1, b1), hue(p2, b2)]
  let dh = c1 * c2 === 0 ? 0 : h2 - h1
  if (dh > 180) dh -= 360
  if (dh < -180) dh += 360
  const [dl, dc, dH] = [l2 - l1, c2 - c1, 2 * Math.sqrt(c1 * c2) * Math.sin((dh / 2) * rad)]
  const [lm, cm] = [(l1 + l2) / 2, (c1 + c2) / 2]
  const hm = c1 * c2 === 0 ? h1 + h2 : Math.abs(h1 - h2) <= 180 ? (h1 + h2) / 2 : (h1 + h2 + (h1 + h2 < 360 ? 360 : -360)) / 2
  const t = 1 - 0.17 * Math.cos((hm - 30) * rad) + 0.24 * Math.cos(2 * hm * rad) + 0.32 * Math.cos((3 * hm + 6) * rad) - 0.2 * Math.cos((4 * hm - 63) * rad)
  const [sl, sc, sh] = [1 + (0.015 * (lm - 50) ** 2) / Math.sqrt(20 + (lm - 50) ** 2), 1 + 0.045 * cm, 1 + 0.015 * cm * t]
  const turn = -Math.sin(60 * Math.exp(-(((hm - 275) / 25) ** 2)) * rad) * 2 * Math.sqrt(cm ** 7 / (cm ** 7 + seven))
  return Math.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dH / sh) ** 2 + turn * (dc / sc) * (dH / sh))
}

/** A stage: a dark ground, walls, lamps, faces, cloth of some colours. */
const STAGE: readonly { readonly colour: Colour; readonly spread: number; readonly share: number }[] = [
  { colour: [0.1, 0.1, 0.13], spread: 0.05, share: 30 },
  { colour: [0.3, 0.28, 0.26], spread: 0.08, share: 25 },
  { colour: [0.5, 0.47, 0.43], spread: 0.08, share: 12 },
  { colour: [0.72, 0.55, 0.45], spread: 0.06, share: 8 },
  { colour: [0.62, 0.15, 0.14], spread: 0.05, share: 10 },
  { colour: [0.16, 0.24, 0.45], spread: 0.05, share: 8 },
  { colour: [0.85, 0.8, 0.66], spread: 0.06, share: 5 },
  { colour: [0.25, 0.4, 0.22], spread: 0.05, share: 4 },
]

/** What a camera sees of it: how much of each part depends on where it stands. */
function seen(random: () => number, count: number): Colour[] {
  const shares = STAGE.map((s) => s.share * (0.75 + 0.5 * random()))
  const all = shares.reduce((a, b) => a + b, 0)
  return Array.from({ length: count }, () => {
    let at = 0
    for (let left = random() * all - shares[0]; left > 0 && at < STAGE.length - 1; left -= shares[at]) at++
    const { colour, spread } = STAGE[at]
    const light = 1 + (random() - 0.5) * 0.5
    return colour.map((x) => Math.max(0, Math.min(1, x * light + (random() - 0.5) * spread))) as unknown as Colour
  })
}

/** Another camera's colours: a cast, another exposure, another gamma, within what a picture can hold. */
function camera(random: () => number): (colour: Colour) => Colour {
  const stops = (random() < 0.5 ? -1 : 1) * (0.6 + 0.9 * random())
  const gains = [2 ** (1.6 * (random() - 0.5)), 2 ** (0.5 * (random() - 0.5)), 2 ** (1.6 * (random() - 0.5))].map((g) => g * 2 ** stops)
  const gamma = 2 ** ((random() - 0.5) * 0.8)
  return (colour) => colour.map((x, i) => Math.min(1, (gains[i] * x ** 2.4) ** (gamma / 2.4))) as unknown as Colour
}
const median = (list: number[]) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)]

test('colours look alike as far as they are alike: the space is even', () => {
  expect(perceived([1, 1, 1])[0]).toBeCloseTo(1, 3)
  expect(Math.hypot(...perceived([0.5, 0.5, 0.5]).slice(1))).toBeLessThan(1e-3)
  expect(deltaE([0.5, 0.5, 0.5], [0.5, 0.5, 0.5])).toBe(0)
})

test('cameras with other casts, exposures and gammas, that see it from elsewhere, come to look alike', () => {
  const before: number[] = []
  const after: number[] = []
  for (let seed = 1; seed <= 12; seed++) {
    const random = numbers(seed)
    const other = camera(random)
    const look = matched(seen(random, 1500).map(other), seen(random, 1500))
    const patches = seen(random, 200)
    const own = patches.map((p) => deltaE(p, other(p)))
    before.push(median(own))
    after.push(median(patches.map((p) => deltaE(p, looked(look, other(p))))))
  }
  console.log(
    `match: ${median(before).toFixed(1)} apart before, ${median(after).toFixed(1)} after, ${Math.max(...after).toFixed(1)} at most, of ${before.length} cameras`,
  )
  expect(median(before)).toBeGreaterThan(12)
  expect(median(after)).toBeLessThan(3)
})

test('what is alike already is left as it is, and too little is refused', () => {
  const colours = seen(numbers(3), 1500)
  expect(matched(colours, colours)).toEqual({})
  expect(() => matched(colours.slice(0, 10), colours)).toThrow(TypeError)
})
