import { Counting } from './counting.ts'

describe('counting pictures that are due', () => {
  test('each counts once when the next one is due; late is what was not seen meanwhile', () => {
    const counting = new Counting()
    for (let f = 0; f < 6; f++) {
      counting.due('a', 'clip', f, f / 25, 25)
      if (f % 2 === 0) counting.shown('a')
      counting.due('a', 'clip', f, f / 25 + 0.02, 25)
    }
    expect(counting.counted).toEqual({ due: 5, late: 2 })
    counting.reset()
    expect(counting.counted).toEqual({ due: 0, late: 0 })
  })

  test('pictures that were never looked at are late too, forwards and backwards', () => {
    const counting = new Counting()
    for (const f of [0, 1, 5, 6]) {
      counting.due('a', 'clip', f, f / 25, 25)
      counting.shown('a')
    }
    expect(counting.counted).toEqual({ due: 6, late: 3 })
    counting.begin()
    for (const f of [20, 16]) counting.due('a', 'clip', f, f / 25, 25)
    // What stood there before counts with them.
    expect(counting.counted).toEqual({ due: 10, late: 7 })
  })

  test('at a join of a film, where the clock is set, with another clip and beyond what a screen shows none was skipped', () => {
    const counting = new Counting()
    const seen = (clip: string, frame: number, played: number, rate: number) => {
      counting.due('a', clip, frame, played, rate)
      counting.shown('a')
    }
    seen('clip', 10, 0.4, 25)
    seen('clip', 400, 0.44, 25)
    seen('other', 3, 0.48, 25)
    seen('other', 200, 8.4, 25)
    expect(counting.counted).toEqual({ due: 3, late: 0 })
    seen('quick', 0, 8.4, 100)
    seen('quick', 5, 8.45, 100)
    expect(counting.counted).toEqual({ due: 5, late: 0 })
  })

  test('each tile by itself; one that is gone is forgotten', () => {
    const counting = new Counting()
    counting.due('a', 'clip', 0, 0, 25)
    counting.due('b', 'clip', 0, 0, 25)
    counting.drop('a')
    counting.due('a', 'clip', 8, 0.32, 25)
    counting.due('b', 'clip', 1, 0.04, 25)
    expect(counting.counted).toEqual({ due: 1, late: 1 })
  })
})
