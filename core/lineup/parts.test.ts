import { partsOf, type Run } from './parts.ts'

const run = (angleId: string, from: number, to: number): Run => ({ angleId, from, to })

describe('parts of an event', () => {
  test('a pause of all cameras divides', () => {
    expect(partsOf([run('a', 0, 100), run('b', 5, 90), run('a', 120, 200), run('b', 121, 210)])).toEqual([0, 120])
  })

  test('cameras started anew together divide, even if one runs on', () => {
    const runs = [run('wide', 0, 900), run('a', 3, 280), run('b', 5, 290), run('a', 310, 590), run('b', 318, 600), run('a', 650, 900), run('b', 655, 880)]
    expect(partsOf(runs)).toEqual([0, 310, 650])
  })

  test('a single camera that stops and starts divides nothing', () => {
    expect(partsOf([run('a', 0, 300), run('b', 0, 300), run('c', 0, 100), run('c', 110, 200), run('d', 2, 300)])).toEqual([0])
  })

  test('no clips, no parts', () => expect(partsOf([])).toEqual([]))
})
