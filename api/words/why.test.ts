import { type Fact, isWhy, together, type Why } from '@pendolo/core/lineup'
import { whyText } from './why.ts'

const windows = { agreeing: 12, windows: 13 }
/** One of each code, with the words that it must become. */
const ALL: [Fact, string][] = [
  [{ code: 'words', text: 'as the script said' }, 'as the script said'],
  [{ code: 'clip-short' }, 'the clip has less than 3 s of sound'],
  [{ code: 'clip-silent' }, 'the clip is silent'],
  [{ code: 'clip-silent-or-short' }, 'the sound is silence or too short'],
  [{ code: 'clip-without-sound' }, 'no sound in this file'],
  [{ code: 'master-short' }, 'the master has less than 3 s of sound'],
  [{ code: 'master-without-sound' }, 'the master has no sound'],
  [{ code: 'not-found' }, 'not found by the ways that were tried'],
  [{ code: 'nothing-alike' }, 'no place on the master resembles this sound'],
  [{ code: 'windows', ...windows, ratio: 0.4123 }, 'by sound; 12 of 13 windows agree, next-best place 0.41×'],
  [
    { code: 'sum', windows: 5, strength: 9.17, ratio: 0.627 },
    'by sound, buried under something louder: all 5 windows added up stand out 9.2 times the spread of chance, next-best place 0.63×',
  ],
  [
    { code: 'sum-told-by-difference', windows: 5, strength: 16.48, places: 18 },
    'by sound, buried under something louder: all 5 windows added up stand out 16.5 times the spread of chance; 18 other places resemble it, but what differs between them speaks for this one',
  ],
  [
    { code: 'drift-unusual', ppm: 195, seconds: 8 },
    'its clock would run 195 ppm apart over only 8 s, which clocks do not: it may be a passage that comes again',
  ],
  [{ code: 'windows-few', ...windows }, 'by sound, but only 12 of 13 windows agree'],
  [{ code: 'windows-none', ...windows }, 'nothing on the master matches this sound (12 of 13 windows agree at the best place)'],
  [{ code: 'one-instant' }, 'only one instant of it resembles the master: one sound in common is no proof'],
  [
    { code: 'something-left', ...windows, ratio: 0.8 },
    'by sound: 12 of 13 windows agree, but it holds something of other places too that this one has not; it may be a repetition that the master does not hold',
  ],
  [
    { code: 'windows-scatter', ...windows, ms: 0.27 },
    'by sound: 12 of 13 windows agree, but to 0.3 ms only, and others lie close beside: it may be the same passage played another time',
  ],
  [{ code: 'two-places', ratio: 0.98 }, 'by sound; two places fit almost equally (next-best 0.98×)'],
  [
    { code: 'told-by-difference', ...windows, ratio: 0.9, several: true },
    'by sound; 12 of 13 windows agree; other places (0.90×) resemble it, but what differs between them speaks for this one',
  ],
  [
    { code: 'told-by-windows', ...windows, ratio: 0.9, worse: 7, compared: 8 },
    'by sound; 12 of 13 windows agree; the next-best place (0.90×) fits worse in 7 of 8',
  ],
  [
    {
      code: 'pieces',
      jumps: [
        { atSeconds: 65, bySeconds: 0.04 },
        { atSeconds: 70, bySeconds: -0.1 },
      ],
    },
    'in the recording 40 ms are missing near 1:05 and 100 ms are too much near 1:10: placed in 3 pieces',
  ],
  [{ code: 'channel', channel: 2 }, 'by its channel 2 alone'],
  [{ code: 'chosen', ...windows, places: 3 }, 'by sound (12 of 13 windows agree); of 3 places that fit, chosen by what follows'],
  [{ code: 'near-timecode', ...windows }, 'by sound near its timecode (12 of 13 windows)'],
  [{ code: 'near-clock', ...windows }, 'by sound near its recording time (12 of 13 windows)'],
  [{ code: 'timecode-none' }, 'no timecode in this file'],
  [{ code: 'timecode-no-reference' }, 'no recording of known place carries a timecode to compare with'],
  [
    { code: 'timecode-counts', rate: 25, drop: false, other: 'a.mov', otherRate: 30000 / 1001, otherDrop: true },
    'its timecode counts 25 frames a second, that of a.mov 29.97 frames a second in drop-frame: the same label is not the same instant; place it by sound or by hand',
  ],
  [{ code: 'timecode', label: '10:00:00:00', origin: 'file', through: 'a.mov', recordings: 1 }, 'by timecode 10:00:00:00 in the file, through a.mov'],
  [{ code: 'timecode-against', others: 2 }, '2 others say otherwise'],
  [{ code: 'timecode-differs', label: '09:00:00:00', origin: 'bwf' }, 'the one in the wave file, 09:00:00:00, differs and was left out'],
  [{ code: 'timecode-agrees' }, 'timecode agrees'],
  [{ code: 'timecode-says', offSeconds: -38 }, 'its timecode says −38.00 s'],
  [{ code: 'timecode-late', lateSeconds: 0.12 }, 'its timecode lies 120 ms later than its sound, which came from about 41 m'],
  [{ code: 'light-late', lateSeconds: 0.2 }, 'its light lies 200 ms later than its sound, which came from about 69 m'],
  [{ code: 'light-no-reference' }, 'no placed camera has pictures to compare the light with'],
  [{ code: 'light-steady', ofClip: false }, 'the light changes too little in the placed cameras'],
  [{ code: 'light-nothing' }, 'no change of light fits that of the placed cameras'],
  [{ code: 'light-misfit', matched: 1, events: 9 }, 'the light does not fit that of the placed cameras (1 of 9 changes of light were seen by both)'],
  [{ code: 'light', matched: 8, events: 9 }, 'by light; 8 of 9 changes of light were seen by both'],
  [{ code: 'light-rival', ratio: 0.9 }, 'another place fits almost as well (0.90×)'],
  [{ code: 'clock', toleranceSeconds: 2.2 }, 'by the clock of its camera, within 2 s'],
  [{ code: 'clock-only' }, 'set a mark or compare by eye'],
  [{ code: 'first-frame' }, 'its first frame put at the beginning of the master'],
  [{ code: 'through', names: ['a.mov', 'b.mov'] }, 'by sound through a.mov, b.mov; the master does not cover it'],
  [
    { code: 'through-doubtful', names: ['a.mov'], coveredSeconds: 12.4 },
    'by sound through a.mov, but the master, which covers it for 12 s, does not fit it there',
  ],
  [{ code: 'island', names: ['a.mov'] }, 'it fits a.mov, but none of them lies on the master'],
  [{ code: 'master' }, 'the master itself'],
  [{ code: 'master-before' }, 'was the master before'],
  [{ code: 'master-changed' }, 'the master was changed for one that had no place; line up again'],
  [{ code: 'point', point: 'in' }, 'its in point put on that of the master, both set by you'],
  [{ code: 'same-instant' }, 'what both pictures show put on the same instant by you'],
  [{ code: 'exchange', file: 'cut.otio' }, 'as in cut.otio, exact to its frames'],
  [
    { code: 'exchange-doubt', file: 'cut.otio' },
    'as in cut.otio, but several files there or here have this name, folder and length: look whether it is this one',
  ],
  [{ code: 'by-hand', how: 'the next-best place' }, 'the next-best place'],
  [{ code: 'moved' }, 'moved by hand'],
  [{ code: 'accepted' }, 'accepted by you'],
]

test.each(ALL.map(([fact, words]) => [fact.code, fact, words] as const))('%s has its words, and is a fact', (_, fact, words) => {
  expect(whyText([fact])).toBe(words)
  expect(isWhy([fact])).toBe(true)
})

test('a reason is its facts in a row; what is said already is not said again', () => {
  const [short, silent]: Why[] = [[{ code: 'clip-short' }], [{ code: 'clip-silent' }]]
  expect(whyText(together(short, silent, short))).toBe('the clip has less than 3 s of sound; the clip is silent')
  expect(whyText([])).toBe('')
})

test('what is no fact is no reason: unknown codes, missing, foreign and unbounded contents', () => {
  const bad: unknown[] = [
    null,
    'by sound',
    [null],
    ['words'],
    [{ code: 'constructor' }],
    [{ code: '__proto__' }],
    [{ code: 'clip-short', more: 1 }],
    [{ code: 'words' }],
    [{ code: 'words', text: 'x'.repeat(501) }],
    [{ code: 'windows', agreeing: 1, windows: '2', ratio: 0 }],
    [{ code: 'windows', agreeing: Number.NaN, windows: 2, ratio: 0 }],
    [{ code: 'pieces', jumps: [{ atSeconds: 1 }] }],
    [{ code: 'through', names: [1] }],
    Array.from({ length: 41 }, () => ({ code: 'moved' })),
  ]
  for (const value of bad) expect(isWhy(value)).toBe(false)
})
