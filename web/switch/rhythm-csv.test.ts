import type { Rhythm } from '@pendolo/core/film'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { rhythmCsv } from './rhythm-csv.ts'

test('every stretch is a row; names keep their commas and quotes', () => {
  const t = (s: number) => flicks(s * FLICKS_PER_SECOND)
  const stretches = [
    { at: t(0), from: t(10), length: t(2), angleId: 'a', clipId: null, on: 'none', off: null },
    { at: t(2), from: t(12), length: t(3), angleId: 'b', clipId: null, on: 'beat', off: -1 },
  ] as const
  const csv = rhythmCsv(
    { stretches } as unknown as Rhythm,
    (at) => `at ${at / FLICKS_PER_SECOND}`,
    (id) => (id === 'a' ? 'Gantry, left' : 'The "pit"'),
    t(0.04),
  )
  expect(csv.split('\r\n')).toEqual([
    'at,seconds,frames,angle,falls on,frames from the beat',
    'at 10,2.000,50,"Gantry, left",,',
    'at 12,3.000,75,"The ""pit""",beat,-1',
    '',
  ])
})
