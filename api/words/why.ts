import type { Fact, FactCode, Why } from '@pendolo/core/lineup'
import { SOUND_SPEED } from '@pendolo/core/project'
import { printLength } from '@pendolo/core/time'

const times = (ratio: number) => `${ratio.toFixed(2)}×`
const agree = (f: { agreeing: number; windows: number }) => `${f.agreeing} of ${f.windows} windows agree`
const addedUp = (f: { windows: number; strength: number }) =>
  `by sound, buried under something louder: all ${f.windows} windows added up stand out ${f.strength.toFixed(1)} times the spread of chance`
const some = (f: { agreeing: number; windows: number }) => `${f.agreeing} of ${f.windows} windows`
const list = (names: readonly string[]) => names.join(', ')
const seconds = (s: number) => `${s < 0 ? '−' : '+'}${Math.abs(s).toFixed(2)} s`
const LIGHT_SHARE = (f: { matched: number; events: number }) => `${f.matched} of ${f.events} changes of light were seen by both`
const ORIGINS: Readonly<Record<string, string>> = { sound: 'recorded as sound', file: 'in the file', bwf: 'in the wave file' }
const POINTS: Readonly<Record<string, string>> = { mark: 'mark', in: 'in point', out: 'out point' }
const late = (s: number) => `${Math.round(s * 1000)} ms later than its sound, which came from about ${Math.round(s * SOUND_SPEED)} m`
const counts = (rate: number, drop: boolean) =>
  `${Number.isInteger(rate) ? rate : rate.toFixed(2)} frames a second${Number.isInteger(rate) ? '' : drop ? ' in drop-frame' : ' without drop-frame'}`

/** What each fact says, in words that stand in a row with others. */
const WORDS: { readonly [C in FactCode]: (fact: Fact<C>) => string } = {
  words: (f) => f.text,
  'clip-short': () => 'the clip has less than 3 s of sound',
  'clip-silent': () => 'the clip is silent',
  'clip-silent-or-short': () => 'the sound is silence or too short',
  'clip-without-sound': () => 'no sound in this file',
  'master-short': () => 'the master has less than 3 s of sound',
  'master-without-sound': () => 'the master has no sound',
  'not-found': () => 'not found by the ways that were tried',
  'nothing-alike': () => 'no place on the master resembles this sound',
  windows: (f) => `by sound; ${agree(f)}, next-best place ${times(f.ratio)}`,
  sum: (f) => `${addedUp(f)}, next-best place ${times(f.ratio)}`,
  'sum-told-by-difference': (f) =>
    `${addedUp(f)}; ${f.places === 1 ? 'another place resembles' : `${f.places} other places resemble`} it, but what differs between them speaks for this one`,
  'drift-unusual': (f) => `its clock would run ${f.ppm} ppm apart over only ${f.seconds} s, which clocks do not: it may be a passage that comes again`,
  'windows-few': (f) => `by sound, but only ${agree(f)}`,
  'windows-none': (f) => `nothing on the master matches this sound (${agree(f)} at the best place)`,
  'one-instant': () => 'only one instant of it resembles the master: one sound in common is no proof',
  'something-left': (f) =>
    `by sound: ${agree(f)}, but it holds something of other places too that this one has not; it may be a repetition that the master does not hold`,
  'windows-scatter': (f) =>
    `by sound: ${agree(f)}, but to ${f.ms.toFixed(1)} ms only, and others lie close beside: it may be the same passage played another time`,
  'two-places': (f) => `by sound; two places fit almost equally (next-best ${times(f.ratio)})`,
  'told-by-difference': (f) =>
    `by sound; ${agree(f)}; ${f.several ? 'other places' : 'another place'} (${times(f.ratio)}) ${f.several ? 'resemble' : 'resembles'} it, but what differs between them speaks for this one`,
  'told-by-windows': (f) => `by sound; ${agree(f)}; the next-best place (${times(f.ratio)}) fits worse in ${f.worse} of ${f.compared}`,
  pieces: (f) =>
    `in the recording ${f.jumps
      .map((j) => `${Math.abs(j.bySeconds * 1000).toFixed(0)} ms ${j.bySeconds > 0 ? 'are missing' : 'are too much'} near ${printLength(j.atSeconds)}`)
      .join(' and ')}: placed in ${f.jumps.length + 1} pieces`,
  channel: (f) => `by its channel ${f.channel} alone`,
  chosen: (f) => `by sound (${agree(f)}); of ${f.places} places that fit, chosen by what follows`,
  'near-timecode': (f) => `by sound near its timecode (${some(f)})`,
  'near-clock': (f) => `by sound near its recording time (${some(f)})`,
  'timecode-none': () => 'no timecode in this file',
  'timecode-no-reference': () => 'no recording of known place carries a timecode to compare with',
  'timecode-counts': (f) =>
    `its timecode counts ${counts(f.rate, f.drop)}, that of ${f.other} ${counts(f.otherRate, f.otherDrop)}: the same label is not the same instant; place it by sound or by hand`,
  timecode: (f) => `by timecode ${f.label} ${ORIGINS[f.origin] ?? ''}, through ${f.recordings === 1 ? f.through : `${f.recordings} recordings`}`,
  'timecode-against': (f) => (f.others === 1 ? 'one other says otherwise' : `${f.others} others say otherwise`),
  'timecode-differs': (f) => `the one ${ORIGINS[f.origin] ?? ''}, ${f.label}, differs and was left out`,
  'timecode-together': (f) => `timecode of ${f.recordings} recordings that were set together agrees on this place alone`,
  'timecode-open': () => 'its timecode can mean two places: a recorder counts samples, the other labels that run slower than the clock',
  'timecode-agrees': () => 'timecode agrees',
  'timecode-says': (f) => `its timecode says ${seconds(f.offSeconds)}`,
  'timecode-late': (f) => `its timecode lies ${late(f.lateSeconds)}`,
  'light-late': (f) => `its light lies ${late(f.lateSeconds)}`,
  'light-no-reference': () => 'no placed camera has pictures to compare the light with',
  'light-steady': (f) => `the light changes too little in ${f.ofClip ? 'this clip' : 'the placed cameras'}`,
  'light-nothing': () => 'no change of light fits that of the placed cameras',
  'light-misfit': (f) => `the light does not fit that of the placed cameras (${LIGHT_SHARE(f)})`,
  light: (f) => `by light; ${LIGHT_SHARE(f)}`,
  'light-rival': (f) => `another place fits almost as well (${times(f.ratio)})`,
  clock: (f) => `by the clock of its camera, within ${f.toleranceSeconds.toFixed(0)} s`,
  'clock-only': () => 'set a mark or compare by eye',
  still: () => 'a still: it stands wherever it is wanted',
  'first-frame': () => 'its first frame put at the beginning of the master',
  through: (f) => `by sound through ${list(f.names)}; the master does not cover it`,
  'through-doubtful': (f) => `by sound through ${list(f.names)}, but the master, which covers it for ${Math.round(f.coveredSeconds)} s, does not fit it there`,
  island: (f) => `it fits ${list(f.names)}, but none of them lies on the master`,
  master: () => 'the master itself',
  'master-before': () => 'was the master before',
  'master-changed': () => 'the master was changed for one that had no place; line up again',
  point: (f) => `its ${POINTS[f.point] ?? f.point} put on that of the master, both set by you`,
  'same-instant': () => 'what both pictures show put on the same instant by you',
  exchange: (f) => `as in ${f.file}, exact to its frames`,
  'exchange-doubt': (f) => `as in ${f.file}, but several files there or here have this name, folder and length: look whether it is this one`,
  'by-hand': (f) => f.how,
  moved: () => 'moved by hand',
  accepted: () => 'accepted by you',
}

/** A reason as a line of words. */
export function whyText(why: Why): string {
  return why.map((fact) => (WORDS[fact.code] as (f: Fact) => string)(fact)).join('; ')
}
