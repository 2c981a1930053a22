import type { FilmStretch } from '@pendolo/core/film'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { filmTimeOf, glimpseInFilm, glimpseName } from './glimpse.ts'
import type { PlayClip } from './types.ts'

const s = (seconds: number) => flicks(seconds * FLICKS_PER_SECOND)
const clips = [
  { clipId: 'left', start: s(0), end: s(40) },
  { clipId: 'right', start: s(10), end: s(20) },
] as PlayClip[]
const stretch = (at: number, length: number, from: number | null, more: object = {}) =>
  ({
    at: s(at),
    length: s(length),
    from: from === null ? null : s(from),
    clipId: 'left',
    angleId: 'A',
    stillAt: null,
    run: {},
    ...more,
  }) as unknown as FilmStretch
/** Ten seconds, a card, and what follows once the master's seconds 10 to 30 are left out; at last a picture that stands. */
const plan = [
  stretch(0, 10, 0),
  stretch(10, 2, null, { clipId: null, angleId: null, run: { text: 'Encore' } }),
  stretch(12, 5, 30),
  stretch(17, 5, 35, { clipId: 'right', angleId: 'B', stillAt: s(19) }),
  stretch(22, 1, 40),
]
const seen = (at: number) => {
  const glimpse = glimpseInFilm(plan, s(at), clips)
  return [glimpse.clip?.clipId ?? null, glimpse.time / FLICKS_PER_SECOND, glimpseName(glimpse, (id) => `angle ${id}`)]
}

test('an instant of the film shows the clip of its stretch at the master’s time', () => {
  expect(seen(3)).toEqual(['left', 3, 'angle A'])
  expect(seen(13)).toEqual(['left', 31, 'angle A'])
})

test('a card, a picture that stands, and what has no picture are told as they are', () => {
  expect(seen(11)).toEqual([null, 11, 'a card, Encore'])
  expect(seen(20)).toEqual(['right', 19, 'angle B'])
  expect(seen(22.5)).toEqual([null, 40.5, 'black'])
  expect(seen(99)).toEqual([null, 99, 'black'])
})

test('an instant of the master is found in the film, unless that leaves it out', () => {
  expect(filmTimeOf(plan, s(31))).toBe(s(13))
  expect(filmTimeOf(plan, s(20))).toBeNull()
  // Before what follows a left-out middle the film shows what came before that.
  expect(glimpseInFilm(plan, flicks((filmTimeOf(plan, s(30)) as number) - 1), clips).card).toBe('Encore')
})
