import { readCube } from './cube.ts'
import { lookTable, TABLE_SIZE, tableText } from './look.ts'

const at = (table: Float32Array, r: number, g: number, b: number) => [...table.subarray(3 * (r + TABLE_SIZE * (g + TABLE_SIZE * b))).subarray(0, 3)]
const node = (x: number) => Math.round(x * (TABLE_SIZE - 1))

/** A cube as other programs write it: comments, small letters in numbers, tabs, lines that end as on another system. */
function cubeText(side: number, colour: (r: number, g: number, b: number) => readonly number[], head: readonly string[] = []): string {
  const lines = ['# made by hand', 'TITLE "Night stock"', ...head, `LUT_3D_SIZE ${side}`, '']
  for (let b = 0; b < side; b++)
    for (let g = 0; g < side; g++)
      for (let r = 0; r < side; r++)
        lines.push(
          colour(r / (side - 1), g / (side - 1), b / (side - 1))
            .map((x) => x.toExponential(5))
            .join('\t'),
        )
  return lines.join('\r\n')
}

describe('.cube files', () => {
  test('one that changes nothing leaves every step, whatever its size', () => {
    for (const side of [2, 17, 33, 50]) {
      const { title, table } = readCube(cubeText(side, (...c) => c))
      expect(title).toBe('Night stock')
      for (const [r, g, b] of [
        [0, 0, 0],
        [32, 0, 5],
        [7, 19, 31],
        [32, 32, 32],
      ])
        for (const [i, x] of at(table, r, g, b).entries()) expect(x).toBeCloseTo([r, g, b][i] / 32, 4)
    }
  })

  test('what is written of a look is read as the same table', () => {
    const table = lookTable({ exposure: 0.7, warmth: -0.3, contrast: 1.2, saturation: 0.8 })
    const back = readCube(tableText(table)).table
    expect(Math.max(...back.map((x, i) => Math.abs(x - table[i])))).toBeLessThan(1e-6)
  })

  test('a row bends each colour by itself; before a cube it comes first', () => {
    const row = Array.from({ length: 5 }, (_, n) => `${(n / 4) ** 2} ${n / 4} ${1 - n / 4}`)
    const { table } = readCube(['LUT_1D_SIZE 5', ...row].join('\n'))
    const [r, g, b] = at(table, node(0.5), node(0.5), node(0.25))
    expect([r, g, b]).toEqual([expect.closeTo(0.25, 5), expect.closeTo(0.5, 5), expect.closeTo(0.75, 5)])
    const cube = ['0 0 0', '0 1 0', '1 0 0', '1 1 0', '0 0 1', '0 1 1', '1 0 1', '1 1 1']
    const both = readCube(['LUT_1D_SIZE 5', 'LUT_3D_SIZE 2', ...row, ...cube].join('\n')).table
    // The cube changes red and green.
    expect(at(both, node(0.5), node(0.75), node(0))).toEqual([expect.closeTo(0.75, 5), expect.closeTo(0.25, 5), expect.closeTo(1, 5)])
  })

  test('a domain of its own is kept to, in both ways of writing it; what lies outside is as at its border', () => {
    const head = ['DOMAIN_MIN 0.25 0.25 0.25', 'DOMAIN_MAX 0.75 0.75 0.75']
    for (const lines of [head, ['LUT_3D_INPUT_RANGE 0.25 0.75']]) {
      const { table } = readCube(cubeText(9, (...c) => c, lines))
      expect(at(table, node(0.5), node(0.25), node(1))).toEqual([expect.closeTo(0.5, 5), expect.closeTo(0, 5), expect.closeTo(1, 5)])
      expect(at(table, node(0.125), node(0.375), node(0.625))).toEqual([0, expect.closeTo(0.25, 5), expect.closeTo(0.75, 5)])
    }
  })

  test('colours beyond what can be shown are brought to its border', () => {
    const { table } = readCube(cubeText(3, (r) => [2 * r, -r, r]))
    expect(at(table, 32, 0, 0)).toEqual([1, 0, 1])
  })

  test.each([
    ['nothing of it', 'hello', /says no size/],
    ['a size that is none', 'LUT_3D_SIZE one\n', /a size that is none from 2 to 256 in line 1/],
    ['a size that nobody can hold', 'LUT_3D_SIZE 4000\n', /from 2 to 256 in line 1/],
    ['too few colours', 'LUT_3D_SIZE 2\n0 0 0\n', /has 1 colours where its size asks for 8/],
    ['too many', 'LUT_1D_SIZE 2\n0 0 0\n1 1 1\n1 1 1\n', /more colours than its size says in line 4/],
    ['words among them', 'LUT_1D_SIZE 2\n0 0 x\n1 1 1\n', /other than three numbers in line 2/],
    ['a domain of nothing', 'DOMAIN_MAX 0 1 1\nLUT_1D_SIZE 2\n0 0 0\n1 1 1\n', /domain that ends before it begins/],
  ])('what cannot be used says so: %s', (_, text, words) => {
    expect(() => readCube(text)).toThrow(words)
  })
})
