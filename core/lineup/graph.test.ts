import fc from 'fast-check'
import { type Link, type Place, solveLinks } from './graph.ts'

const link = (from: string, to: string, offsetSeconds: number, weight = 10, rate = 1): Link => ({ from, to, offsetSeconds, rate, weight })
const master = new Map<string, Place>([['master', { startSeconds: 0, rate: 1 }]])

describe('recordings placed through each other', () => {
  test('a chain leads out of the master’s cover', () => {
    const { places } = solveLinks(master, [link('a', 'master', 100), link('b', 'a', 50), link('b', 'c', -20)])
    expect(places.get('b')?.startSeconds).toBeCloseTo(150, 6)
    expect(places.get('c')?.startSeconds).toBeCloseTo(170, 6)
  })

  test('rates multiply along the way', () => {
    const { places } = solveLinks(master, [link('a', 'master', 10, 5, 1.0001), link('b', 'a', 100, 5, 1.5)])
    expect(places.get('b')?.rate).toBeCloseTo(1.50015, 8)
    expect(places.get('b')?.startSeconds).toBeCloseTo(110.01, 6)
  })

  test('one bad pair is told and bends nothing', () => {
    const bad = link('c', 'a', 37, 8)
    const links = [link('a', 'master', 100), link('b', 'master', 130), link('b', 'a', 30.0004), link('c', 'b', 10), link('c', 'master', 140), bad]
    const { places, broken } = solveLinks(master, links)
    expect(broken).toEqual([bad])
    expect(places.get('c')?.startSeconds).toBeCloseTo(140, 3)
    expect(places.get('a')?.startSeconds).toBeCloseTo(100, 3)
  })

  test('what hangs on nothing is an island', () => {
    const { places, islands } = solveLinks(master, [link('a', 'master', 1), link('x', 'y', 2), link('z', 'y', 3), link('p', 'q', 0)])
    expect([...places.keys()].sort()).toEqual(['a', 'master'])
    expect(islands).toEqual([
      ['x', 'y', 'z'],
      ['p', 'q'],
    ])
  })

  test('whatever the order and the small errors, every recording comes near its true place', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: -500, max: 500, noNaN: true }), { minLength: 2, maxLength: 7 }),
        fc.array(fc.double({ min: -0.0005, max: 0.0005, noNaN: true }), { minLength: 30, maxLength: 30 }),
        fc.boolean(),
        (starts, errors, turned) => {
          const links: Link[] = []
          for (let i = 0; i < starts.length; i++) {
            links.push(link(`r${i}`, i === 0 ? 'master' : `r${i - 1}`, starts[i] - (i === 0 ? 0 : starts[i - 1]) + errors[i]))
            if (i >= 2) links.push(link(`r${i}`, `r${i - 2}`, starts[i] - starts[i - 2] + errors[10 + i]))
          }
          const { places, broken } = solveLinks(master, turned ? links.reverse() : links)
          expect(broken).toEqual([])
          for (const [i, start] of starts.entries()) expect(Math.abs((places.get(`r${i}`)?.startSeconds ?? 1e9) - start)).toBeLessThan(0.0005 * (i + 1) + 1e-6)
        },
      ),
      { numRuns: 60 },
    )
  })
})
