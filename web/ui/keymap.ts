/** What shows an angle, by its place in the order. */
export const ANGLE_KEYS = ['1', '2', '3', '4', '5', '6', '7', '8', '9', '0', 'q', 'w', 'e', 'r', 't', 'y', 'u', 'i', 'o', 'p'] as const

export type Where = 'everywhere' | 'Gather' | 'Line up' | 'Pulse' | 'Switch' | 'Balance'

export interface Entry {
  /** One for each act; alternatives of one act stand after a comma. */
  readonly keys: readonly string[]
  readonly what: string
  readonly where: Where
  /** How the list tells it, where the keys by themselves would be too many. */
  readonly told?: string
}

/** Every key of the application, once: handlers (`useKeys`), tooltips and the list of all keys come from here. */
export const KEYMAP = {
  play: { keys: ['space'], what: 'play and stop', where: 'everywhere' },
  shuttle: { keys: ['j', 'k', 'l'], what: 'play backwards, stop, play forwards; again: faster', where: 'everywhere' },
  shuttleSlowly: { keys: ['shift+j', 'shift+l'], what: 'play backwards, forwards at half speed; again: a quarter', where: 'everywhere' },
  frame: { keys: ['left', 'right'], what: 'a frame back, on', where: 'everywhere' },
  second: { keys: ['shift+left', 'shift+right'], what: 'a second back, on', where: 'everywhere' },
  ends: { keys: ['home', 'end'], what: 'to the start, to the end of the film', where: 'everywhere' },
  outerEnds: { keys: ['shift+home', 'shift+end'], what: 'to the start, to the end of all that was recorded', where: 'everywhere' },
  mark: { keys: ['b'], what: 'drop a mark', where: 'everywhere' },
  namedMark: { keys: ['shift+b'], what: 'drop a mark and name it', where: 'everywhere' },
  stepMark: { keys: ['alt+up', 'alt+down'], what: 'to the previous, next mark', where: 'everywhere' },
  undo: { keys: ['mod+z'], what: 'undo', where: 'everywhere' },
  redo: { keys: ['mod+shift+z, mod+y'], what: 'redo', where: 'everywhere' },
  help: { keys: ['shift+slash, shift+?'], what: 'this list', where: 'everywhere', told: '?' },
  rename: { keys: ['f2'], what: 'rename the angle of the chosen clip', where: 'Gather' },
  nudgeClip: { keys: ['bracketleft', 'bracketright'], what: 'move the chosen clip a frame earlier, later', where: 'Line up' },
  nudgeClipTenth: { keys: ['shift+bracketleft', 'shift+bracketright'], what: 'move the chosen clip a tenth of a frame', where: 'Line up' },
  nudgeClipMs: { keys: ['alt+bracketleft', 'alt+bracketright'], what: 'move the chosen clip a millisecond', where: 'Line up' },
  slideClip: { keys: [], told: 'Alt + drag', what: 'slide a clip along the master; a locked one stays', where: 'Line up' },
  stepClip: { keys: ['comma', 'period'], what: "step the chosen clip's picture by itself, a frame back, on", where: 'Line up' },
  stepClipTen: { keys: ['shift+comma', 'shift+period'], what: "step the chosen clip's picture by itself, ten frames", where: 'Line up' },
  sameInstant: { keys: ['s'], what: 'same instant: put what both pictures show together', where: 'Line up' },
  points: { keys: ['m', 'i', 'o'], what: 'set mark, in or out point of the chosen clip', where: 'Line up' },
  masterPoints: { keys: ['shift+m', 'shift+i', 'shift+o'], what: 'set mark, in or out point of the master', where: 'Line up' },
  tour: { keys: ['c'], what: 'check: both sounds at the start, the middle and the end', where: 'Line up' },
  flam: { keys: ['f'], what: 'flam check: both sounds together', where: 'Line up' },
  accept: { keys: ['enter'], what: 'accept the chosen clips', where: 'Line up' },
  lock: { keys: ['alt+l'], what: 'lock or unlock the chosen clips', where: 'Line up' },
  tap: { keys: ['t'], what: 'tap the beats of a stretch while it plays', where: 'Pulse' },
  clicks: { keys: ['n'], what: 'clicks on the beats while playing', where: 'Pulse' },
  barHere: { keys: ['d'], what: 'the beat at the playhead begins a bar', where: 'Pulse' },
  shiftBeats: { keys: ['alt+left', 'alt+right'], what: 'beats 10 ms earlier, later; in the chosen stretch or everywhere', where: 'Pulse' },
  nextMark: { keys: ['up', 'down'], what: 'previous, next of the marks that the list shows', where: 'Pulse' },
  listKind: { keys: ['0,1,2,3,4,5,6'], told: '0 … 6', what: 'list all marks, beats, bars, cues, parts, phrases, notes', where: 'Pulse' },
  allMarks: { keys: ['mod+a'], what: 'choose all marks that are listed', where: 'Pulse' },
  removeMarks: { keys: ['delete, backspace'], what: 'remove the chosen marks', where: 'Pulse' },
  angle: { keys: [], told: '1 … 9, 0, Q … P', what: 'show this angle from here on', where: 'Switch' },
  enlarge: { keys: [], told: 'hold Z', what: 'look closely at the angle under the pointer, or the chosen one', where: 'Switch' },
  stageShown: { keys: ['shift+f'], what: 'programme and angles, the programme alone, the angles alone', where: 'Switch' },
  fullScreen: { keys: ['f'], what: 'the stage fills the screen, and back', where: 'Switch' },
  giveAngle: { keys: [], told: 'Shift + 1 … P', what: 'give this angle to the stretch under the playhead', where: 'Switch' },
  nudgeCut: { keys: ['bracketleft', 'bracketright'], what: 'move the chosen cuts, or the nearest one, a frame earlier, later', where: 'Switch' },
  cutToBeat: { keys: ['shift+bracketleft', 'shift+bracketright'], what: 'move the nearest cut to the beat before, after', where: 'Switch' },
  splitCut: { keys: ['s'], what: 'split: cut the stretch at the playhead in two', where: 'Switch' },
  pickCut: { keys: [], told: 'Ctrl/⌘ + click', what: 'choose one more cut; with Shift all up to it', where: 'Switch' },
  copyCuts: { keys: ['mod+c'], what: 'copy the cuts of the chosen range', where: 'Switch' },
  repeatCuts: { keys: ['mod+v'], what: 'repeat the copied cuts at the playhead, by its beats', where: 'Switch' },
  join: { keys: ['backspace'], what: 'join: remove the nearest cut', where: 'Switch' },
  nextCut: { keys: ['up', 'down'], what: 'previous, next cut', where: 'Switch' },
  rangeEnds: {
    keys: ['comma', 'period'],
    what: 'a range begins, ends at the playhead; so does a drag over the bar numbers, or over the master with Shift',
    where: 'Switch',
  },
  leaveOut: { keys: ['x'], what: 'leave the chosen range out of the film, or bring it back', where: 'Switch' },
  follow: { keys: ['v'], what: 'play the film as it will be, or the master as it was recorded', where: 'Switch' },
  loop: { keys: ['shift+space'], what: 'play the chosen range again and again', where: 'Switch' },
  around: { keys: ['a'], what: 'play around the nearest cut, from two seconds before it to two behind, and come back', where: 'Switch' },
  zoom: { keys: ['equal, shift+equal, add', 'minus, subtract'], told: '+  −', what: 'zoom the score', where: 'Switch' },
  zoomEvent: { keys: ['equal, shift+equal, add', 'minus, subtract'], told: '+  −', what: 'look closer at who ran when, or at more of it', where: 'Line up' },
  stepSound: { keys: ['up', 'down'], what: 'previous, next sound', where: 'Balance' },
  hearOn: { keys: ['o'], what: 'hear the chosen sounds, or not', where: 'Balance' },
  soloSound: { keys: ['s'], what: 'solo the chosen sounds', where: 'Balance' },
  muteSound: { keys: ['m'], what: 'mute the chosen sounds', where: 'Balance' },
  soundRange: { keys: ['comma', 'period'], what: 'a range begins, ends at the playhead; so does a drag over a sound', where: 'Balance' },
  stretchRange: { keys: ['c'], what: 'a range over the stretch of the cut at the playhead', where: 'Balance' },
  silence: { keys: ['x'], what: 'silence the chosen sounds in the range', where: 'Balance' },
  hearHere: { keys: ['h'], what: 'let the chosen sounds be heard in the range', where: 'Balance' },
  raise: { keys: ['shift+up', 'shift+down'], what: 'raise, lower the chosen sounds by a decibel, in the range or everywhere', where: 'Balance' },
  asItWas: { keys: ['delete, backspace'], what: 'take away what was drawn in the range for the chosen sounds', where: 'Balance' },
  before: { keys: ['w'], what: 'while it is held: pictures as they were recorded', where: 'Balance' },
  zoomSounds: { keys: ['equal, shift+equal, add', 'minus, subtract'], told: '+  −', what: 'look closer at the sounds, or at more of them', where: 'Balance' },
  nothing: { keys: ['escape'], what: 'choose nothing: no range, no stretch, no marks', where: 'everywhere' },
} as const satisfies Record<string, Entry>

export type KeyId = keyof typeof KEYMAP

const NAMES: Readonly<Record<string, string>> = {
  left: '←',
  right: '→',
  up: '↑',
  down: '↓',
  bracketleft: '[',
  bracketright: ']',
  comma: ',',
  period: '.',
  mod: 'Ctrl/⌘',
}

/** A key as it is told: `shift+bracketleft` is Shift + [. */
function keyName(key: string): string {
  const named = key.split('+').map((part) => NAMES[part] ?? part.charAt(0).toUpperCase() + part.slice(1))
  return named.join(' + ')
}

/** The keys of an entry as they are told; one of several acts by its number. What all are pressed with is said once. */
export function keyText(id: KeyId, act?: number): string {
  const { keys, told }: Entry = KEYMAP[id]
  if (act !== undefined) return keyName(keys[act].split(',')[0])
  if (told !== undefined) return told
  const names = keys.map((key) => keyName(key.split(',')[0]))
  const held = names[0]?.slice(0, names[0].lastIndexOf(' + ') + 1)
  const shared = held !== '' && names.every((name) => name.startsWith(`${held}+ `)) ? `${held}+ ` : ''
  return shared + names.map((name) => name.slice(shared.length)).join('  ')
}
