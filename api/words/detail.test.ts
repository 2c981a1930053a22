import type { Detail } from '../detail.ts'
import { detailText } from './detail.ts'

const ALL: [Detail, string][] = [
  [{ code: 'words', text: 'a.mov is cut off' }, 'a.mov is cut off'],
  [{ code: 'waiting' }, 'waiting'],
  [{ code: 'starting' }, 'starting'],
  [{ code: 'taken-up' }, 'taken up again after a restart'],
  [{ code: 'cancelled' }, 'cancelled'],
  [{ code: 'ended-twice' }, 'Pendolo ended twice while this ran, so it was set aside. If it was switched off in the middle, try again'],
  [{ code: 'unexpected' }, 'something went wrong in Pendolo itself; try again. If it happens again, the details say more'],
  [{ code: 'ready' }, 'ready'],
  [{ code: 'done' }, 'done'],
  [{ code: 'copying' }, 'making the light copy'],
  [{ code: 'mixing' }, 'mixing the sound'],
  [{ code: 'joining-masters' }, 'joining the recordings of the master'],
  [{ code: 'listening-master' }, 'listening to the master'],
  [{ code: 'finding-beats' }, 'finding beats and bars'],
  [{ code: 'finding-parts' }, 'comparing what is heard when'],
  [{ code: 'finding-voices' }, 'listening for voices'],
  [{ code: 'listening', file: 'a.mov' }, 'listening to a.mov'],
  [{ code: 'rendering', leftSeconds: 12, speed: 1.234 }, 'about 12 s left · 1.2 × real time'],
  [{ code: 'comparing', what: 'clocks' }, 'comparing recording times'],
  [{ code: 'comparing', what: 'light' }, 'comparing light'],
  [{ code: 'files-heard', done: 2, of: 5 }, '2 of 5 files heard'],
  [{ code: 'pairs-compared', done: 2, of: 5 }, '2 of 5 pairs compared'],
  [{ code: 'files-looked-at', files: 1 }, '1 file looked at'],
  [{ code: 'files-looked-at', files: 2 }, '2 files looked at'],
  [{ code: 'lined-up', sure: 3, check: 2, loose: 1 }, '3 sure, 2 to check, 1 loose'],
  [{ code: 'not-near' }, 'nothing that fits was found near there'],
  [{ code: 'not-at-speed' }, 'nothing that fits was found at that speed'],
  [{ code: 'originals', found: [], missing: [] }, 'nothing was missing'],
  [{ code: 'originals', found: ['a', 'b'], missing: ['c'] }, 'found again: a, b; not in the folders that may be read: c'],
  [{ code: 'beats', beats: 100, bars: 25 }, '100 beats in 25 bars'],
  [{ code: 'beats', beats: 0, bars: 0 }, 'there is no steady pulse in this recording'],
  [{ code: 'parts', parts: 4, loud: 2 }, '4 parts and 2 loud moments'],
  [{ code: 'phrases', phrases: 4, seconds: 20 }, '4 phrases in 20 s of speech'],
  [{ code: 'phrases', phrases: 0, seconds: 0 }, 'nobody speaks in this recording'],
]

test.each(ALL.map(([detail, words]) => [words, detail] as const))('a job says: %s', (words, detail) => {
  expect(detailText(detail)).toBe(words)
})
