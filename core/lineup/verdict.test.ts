import { fitLine } from './fit.ts'
import { verdictOf, type Weighed } from './verdict.ts'
import type { WindowMeasure } from './windows.ts'

/** Seven windows, of which four lie on a line and three so far beside it. */
function place(besideSeconds: number): Weighed {
  const windows = [0.0001, 0.0001, besideSeconds, 0.0003, besideSeconds, 0.0004, 2 * besideSeconds].map(
    (lagSeconds, i): WindowMeasure => ({ clipSeconds: 1.2 * (i + 1), lagSeconds, strength: lagSeconds < 0.001 ? 14 : 10, coherence: 0.2 }),
  )
  const fit = fitLine(windows)
  if (!fit) throw new Error('no line')
  const agreeing = fit.agrees.filter(Boolean).length
  return { candidate: { startSeconds: 0, rate: 1, support: fit.support, agreeing, windows: windows.length }, fit, windows, apart: 4 }
}

describe('the verdict on a few windows', () => {
  test('is sure where the others lie anywhere', () => {
    expect(verdictOf({ ranked: [place(0.05)] })).toMatchObject({ verdict: 'sure', why: [{ code: 'windows', agreeing: 4, windows: 7 }] })
  })

  test('asks to check where most of the others lie near the line: a passage played again', () => {
    expect(verdictOf({ ranked: [place(0.0055)] })).toMatchObject({ verdict: 'check', why: [{ code: 'windows-scatter', agreeing: 4, windows: 7 }] })
  })
})
