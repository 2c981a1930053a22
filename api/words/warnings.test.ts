import type { FilmWarning } from '@pendolo/core/film'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { warningText } from './warnings.ts'

const at = flicks(3 * FLICKS_PER_SECOND)
const said = (warning: object) =>
  warningText(
    { at, key: 'k', accepted: false, ...warning } as FilmWarning,
    (id) => id.toUpperCase(),
    () => 'gantry',
  )

test.each([
  [{ kind: 'dark', seconds: 2.34, wanted: 'roof', shown: 'pit' }, '2.3 s: ROOF has no picture there; the film would show PIT.'],
  [{ kind: 'dark', seconds: 1, wanted: 'roof', shown: null }, '1.0 s: ROOF has no picture there; the film would be black.'],
  [{ kind: 'dark', seconds: 2, wanted: 'roof', shown: 'roof' }, '2.0 s: ROOF has no picture there; the film would hold its last picture.'],
  [{ kind: 'unchosen', seconds: 4, shown: 'pit' }, '4.0 s before the first choice; the film would show PIT.'],
  [{ kind: 'short', frames: 1 }, 'A stretch of only 1 frame.'],
  [{ kind: 'alike', angleId: 'pit', jumps: false }, 'A cut from PIT to the same picture: nobody will see it.'],
  [{ kind: 'alike', angleId: 'pit', jumps: true }, 'PIT jumps over what was left out.'],
  [{ kind: 'hurried', wanted: 25, frames: 0 }, 'A transition for which there is no picture: it is a plain cut.'],
  [{ kind: 'hurried', wanted: 25, frames: 8 }, 'A transition of 8 frames instead of 25: there is no more picture for it, or the next cut is near.'],
  [{ kind: 'off-beat', frames: -2 }, 'A cut 2 frames before its beat.'],
  [{ kind: 'off-beat', frames: 3 }, 'A cut 3 frames behind its beat.'],
  [{ kind: 'sides', from: 'pit', to: 'roof' }, 'From PIT to ROOF the sides are changed: left and right turn around.'],
  [{ kind: 'doubtful', clipId: 'c', verdict: 'check' }, 'GANTRY is used, but its place is only “check”: look at it in Line up.'],
])('%j is told in words', (warning, words) => expect(said(warning)).toBe(words))
