import { toldFromAll } from './rivals.ts'

/** Places by name; each pair compared as told, or in the other order. */
function comparing(pairs: Record<string, number>) {
  const asked: string[] = []
  const compare = (a: string, b: string) => {
    asked.push(`${a}${b}`)
    const forA = pairs[`${a}${b}`] ?? -(pairs[`${b}${a}`] ?? 0)
    return { ofA: Math.max(0, forA), ofB: Math.max(0, -forA), forA }
  }
  return { asked, compare }
}

/** What differs speaks for one place against every other, for none of the others against each other. */
const oneIsRight = (right: string, places: string) => Object.fromEntries([...places].filter((p) => p !== right).map((p) => [`${right}${p}`, 9]))

describe('telling one place from all that resemble it', () => {
  test.each([...'abcdefg'])('finds %s wherever it stands', (right) => {
    const { compare } = comparing(oneIsRight(right, 'abcdefg'))
    const told = toldFromAll([...'abcdefg'], compare)
    expect(told?.place).toBe(right)
    expect(told?.against.map((c) => c.forA)).toEqual([9, 9, 9, 9, 9, 9])
  })

  test('tells none where one other cannot be told from it', () => {
    const { compare } = comparing({ ...oneIsRight('c', 'abcdefg'), cf: 4.9 })
    expect(toldFromAll([...'abcdefg'], compare)).toBeNull()
  })

  test('tells none where each is beaten by another', () => {
    const { compare } = comparing({ ab: 9, bc: 9, ca: 9 })
    expect(toldFromAll([...'abc'], compare)).toBeNull()
  })

  test('compares half as many pairs as places where nothing tells them apart', () => {
    const { compare, asked } = comparing({})
    expect(toldFromAll([...'abcdefgh'], compare)).toBeNull()
    expect(asked).toEqual(['ab', 'cd', 'ef', 'gh'])
  })

  test('tells none where nothing can be compared', () => {
    expect(toldFromAll(['a', 'b'], () => null)).toBeNull()
  })
})
