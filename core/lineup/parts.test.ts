import { partsOf, type Run, thinStretches } from './parts.ts'

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

describe('stretches that hardly anybody saw', () => {
  test('are where no camera ran, and where only one did, within the event', () => {
    const runs = [run('a', -5, 30), run('b', 10, 50), run('b', 70, 200), run('c', 60, 80)]
    expect(thinStretches(runs, 0, 100)).toEqual([
      { from: 0, to: 10, angles: 1 },
      { from: 30, to: 50, angles: 1 },
      { from: 50, to: 60, angles: 0 },
      { from: 60, to: 70, angles: 1 },
      { from: 80, to: 100, angles: 1 },
    ])
  })

  test('two takes of one camera are one angle, and clips that follow each other leave no gap', () => {
    expect(thinStretches([run('a', 0, 60), run('a', 40, 100), run('b', 0, 50), run('b', 50.01, 100)], 0, 100)).toEqual([])
    expect(thinStretches([run('a', 0, 60), run('a', 40, 100)], 0, 100)).toEqual([{ from: 0, to: 100, angles: 1 }])
  })

  test('without any picture it is all of it', () => expect(thinStretches([], 0, 12)).toEqual([{ from: 0, to: 12, angles: 0 }]))
})
