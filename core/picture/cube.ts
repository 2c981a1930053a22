import { type Colour, type ColourTable, TABLE_SIZE } from './look.ts'

/** A file of colours that cannot be used, with the reason as the rest of a sentence that begins with the file's name. */
export class CubeError extends Error {
  readonly code = 'cube'
}

/** Most steps of a row, and along each side of a cube (Cube LUT Specification 1.0, 2013). */
const MOST_ROW = 65_536
const MOST_SIDE = 256

interface Read {
  title: string | null
  row: number
  side: number
  min: Colour
  max: Colour
  readonly lines: Colour[]
}

/**
 * Reads a .cube text: a row of steps for each of red, green and blue, a cube of colours, or a row before a cube, over a domain of its own
 * (Cube LUT Specification 1.0, 2013; ranges of one line for all three, as some write them, are read too).
 * @param text of any length; lines may end in any way
 * @returns its title, if it has one, and what colours become, in the steps of {@link TABLE_SIZE}, each within 0..1
 * @throws CubeError where it is none, is cut short, or is larger than the specification allows; says the line where one is to blame
 */
export function readCube(text: string): { title: string | null; table: ColourTable } {
  const read = linesOf(text)
  const { title, row, side, min, max, lines } = read
  if (row === 0 && side === 0) throw new CubeError('says no size of a table (LUT_1D_SIZE or LUT_3D_SIZE); choose a .cube file')
  const wanted = row + side ** 3
  if (lines.length !== wanted) throw new CubeError(`has ${lines.length} colours where its size asks for ${wanted}; it may be cut short, copy it again`)
  if (min.some((x, i) => !(x < max[i]))) throw new CubeError('has a domain that ends before it begins')
  const first = lines.slice(0, row)
  const cube = lines.slice(row)
  const out = new Float32Array(TABLE_SIZE ** 3 * 3)
  const step = (n: number) => n / (TABLE_SIZE - 1)
  let at = 0
  for (let b = 0; b < TABLE_SIZE; b++)
    for (let g = 0; g < TABLE_SIZE; g++)
      for (let r = 0; r < TABLE_SIZE; r++) {
        const inside = [step(r), step(g), step(b)].map((x, i) => within((x - min[i]) / (max[i] - min[i])))
        const bent = row > 0 ? inside.map((x, i) => alongRow(first, x, i)) : inside
        const colour = side > 0 ? inCube(cube, side, bent.map(within)) : bent
        out.set(colour.map(within), at)
        at += 3
      }
  return { title, table: out }
}

const within = (x: number) => Math.max(0, Math.min(1, x))

function linesOf(text: string): Read {
  const read: Read = { title: null, row: 0, side: 0, min: [0, 0, 0], max: [1, 1, 1], lines: [] }
  for (const [i, raw] of text.split(/\r\n|\r|\n/).entries()) {
    const line = raw.replace(/#.*$/, '').trim()
    if (line === '') continue
    const wrong = (why: string) => new CubeError(`has ${why} in line ${i + 1}`)
    if (/^[-+.\d]/.test(line)) {
      const colour = numbersOf(line)
      if (colour.length !== 3) throw wrong('other than three numbers')
      if (read.lines.length >= read.row + read.side ** 3) throw wrong('more colours than its size says')
      read.lines.push(colour as unknown as Colour)
      continue
    }
    const [word, ...rest] = line.split(/\s+/)
    const numbers = numbersOf(rest.join(' '))
    const size = (most: number) => {
      const [n] = numbers
      if (numbers.length !== 1 || !Number.isInteger(n) || n < 2 || n > most) throw wrong(`a size that is none from 2 to ${most}`)
      return n
    }
    const three = () => {
      if (numbers.length !== 3) throw wrong('a border of its domain that is not three numbers')
      return numbers as unknown as Colour
    }
    if (word === 'TITLE') read.title = /"(.*)"/.exec(line)?.[1].trim() || null
    else if (word === 'LUT_1D_SIZE') read.row = size(MOST_ROW)
    else if (word === 'LUT_3D_SIZE') read.side = size(MOST_SIDE)
    else if (word === 'DOMAIN_MIN') read.min = three()
    else if (word === 'DOMAIN_MAX') read.max = three()
    else if (/^LUT_[13]D_INPUT_RANGE$/.test(word) && numbers.length === 2) {
      read.min = [numbers[0], numbers[0], numbers[0]]
      read.max = [numbers[1], numbers[1], numbers[1]]
    }
  }
  return read
}

/** Numbers of a line; empty where one is none. */
function numbersOf(line: string): number[] {
  const out = line.split(/\s+/).map((x) => (/^[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?$/i.test(x) ? Number(x) : Number.NaN))
  return out.every(Number.isFinite) ? out : []
}

/** A part of a row, straight between its steps. */
function alongRow(row: readonly Colour[], x: number, part: number): number {
  const at = x * (row.length - 1)
  const n = Math.min(row.length - 2, Math.floor(at))
  return row[n][part] + (row[n + 1][part] - row[n][part]) * (at - n)
}

/** A colour of a cube, by tetrahedra between its steps: greys lie on one edge and stay grey. */
function inCube(cube: readonly Colour[], side: number, place: readonly number[]): number[] {
  const at = place.map((x) => x * (side - 1))
  const low = at.map((x) => Math.min(side - 2, Math.floor(x)))
  const part = at.map((x, i) => x - low[i])
  const strides = [1, side, side * side]
  const order = [0, 1, 2].sort((a, b) => part[b] - part[a])
  let index = low[0] + side * low[1] + side * side * low[2]
  const shares = [1 - part[order[0]], part[order[0]] - part[order[1]], part[order[1]] - part[order[2]], part[order[2]]]
  const out = [0, 0, 0]
  for (let k = 0; k < 4; k++) {
    if (k > 0) index += strides[order[k - 1]]
    for (let i = 0; i < 3; i++) out[i] += shares[k] * cube[index][i]
  }
  return out
}
