import fc from 'fast-check'
import { type Flicks, flicks, masterToProgramme, programmeLength, programmeTimesOf, programmeToMaster, type Run, runAt, sliceRuns } from './index.ts'

/** Runs of any lengths; some show the master, some nothing. */
const anyRuns: fc.Arbitrary<Run[]> = fc
  .array(fc.tuple(fc.integer({ min: 1, max: 50 }), fc.option(fc.integer({ min: -20, max: 100 }))), { maxLength: 8 })
  .map((list) => {
    let at = 0
    return list.map(([length, from]) => {
      const run = { at: flicks(at), length: flicks(length), from: from === null ? null : flicks(from) }
      at += length
      return run
    })
  })
const anyTime = fc.integer({ min: -10, max: 400 }).map(flicks)

describe('programme time', () => {
  test('every instant is in the one run that holds it, and none outside the programme', () => {
    fc.assert(
      fc.property(anyRuns, anyTime, (runs, time) => {
        const slow = runs.find((r) => time >= r.at && time < r.at + r.length)
        expect(runAt(runs, time)).toBe(slow)
        expect(runAt(runs, time) === undefined).toBe(time < 0 || time >= programmeLength(runs))
      }),
    )
  })

  test('to the master and back leads to the same instant among all that show it', () => {
    fc.assert(
      fc.property(anyRuns, anyTime, (runs, time) => {
        const master = programmeToMaster(runs, time)
        if (master === null) return
        const back = programmeTimesOf(runs, master)
        expect(back).toContain(time)
        expect([...back].sort((a, b) => a - b)).toEqual(back)
        expect(masterToProgramme(runs, master)).toBe(back[0])
        for (const t of back) expect(programmeToMaster(runs, t)).toBe(master)
      }),
    )
  })

  test('a part of a programme shows what the programme shows there', () => {
    fc.assert(
      fc.property(anyRuns, anyTime, anyTime, anyTime, (runs, a, b, time) => {
        const [from, to] = a < b ? [a, b] : [b, a]
        const part = sliceRuns(runs, from, to)
        const start = Math.max(0, from)
        const length = Math.max(0, Math.min(to, programmeLength(runs)) - start)
        expect(programmeLength(part)).toBe(length)
        if (time >= 0 && time < length) expect(programmeToMaster(part, time)).toBe(programmeToMaster(runs, (start + time) as Flicks))
      }),
    )
  })

  test('what was left out has no place in the programme', () => {
    const runs = [
      { at: flicks(0), length: flicks(10), from: flicks(5) },
      { at: flicks(10), length: flicks(3), from: null },
      { at: flicks(13), length: flicks(10), from: flicks(30) },
    ]
    expect([4, 5, 14, 15, 29, 30, 39, 40].map((t) => masterToProgramme(runs, flicks(t)))).toEqual([null, 0, 9, null, null, 13, 22, null])
    expect(programmeToMaster(runs, flicks(11))).toBeNull()
  })
})
