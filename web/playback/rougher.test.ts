import { Rougher } from './rougher.ts'

/** Half a second each: how much of it was spent on drawing, and how many of ten pictures came late. */
function running() {
  const rougher = new Rougher()
  let [now, due, late] = [0, 0, 0]
  rougher.begin(now, { due, late })
  return {
    rougher,
    pass: (halves: number, busy: number, missed: number) => {
      for (let n = 0; n < halves; n++) {
        rougher.worked(500 * busy)
        now += 500
        due += 100
        late += missed
        rougher.judge(now, { due, late })
      }
      return rougher.on
    },
    again: () => rougher.begin(now, { due, late }),
  }
}

describe('pictures in half the detail', () => {
  test('while the machine keeps up they are whole, however much it draws, and where drawing is not what keeps it', () => {
    const { pass } = running()
    expect(pass(10, 0.9, 0)).toBe(false)
    expect(pass(10, 0.2, 50)).toBe(false)
  })

  test('drawing much and being late it draws less, from one playing to the next, until it could draw them whole', () => {
    const { pass, again } = running()
    expect(pass(1, 0.9, 5)).toBe(true)
    expect(pass(30, 0.3, 0)).toBe(true)
    again()
    expect(pass(3, 0.05, 0)).toBe(true)
    expect(pass(1, 0.05, 0)).toBe(false)
  })

  test('soon after it did not keep up it is not tried again, and each time later', () => {
    const { pass } = running()
    pass(1, 0.9, 5)
    // Ten seconds.
    expect(pass(18, 0.05, 0)).toBe(true)
    expect(pass(2, 0.05, 0)).toBe(false)
    pass(1, 0.9, 5)
    expect(pass(38, 0.05, 0)).toBe(true)
    expect(pass(2, 0.05, 0)).toBe(false)
  })

  test('a count that began anew says nothing', () => {
    const rougher = new Rougher()
    rougher.begin(0, { due: 100, late: 50 })
    rougher.worked(450)
    rougher.judge(500, { due: 3, late: 0 })
    expect(rougher.on).toBe(false)
  })
})
