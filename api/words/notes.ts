import type { Note } from '@pendolo/core/project'
import { printRate } from '@pendolo/core/time'

type Of<C extends Note['code']> = Extract<Note, { code: C }>

const WORDS: { readonly [C in Note['code']]: (note: Of<C>) => string } = {
  words: (n) => n.text,
  'variable-rate': (n) => `variable rate, about ${printRate(n.rate)}: each picture keeps its own time`,
  fields: () => 'two fields a picture (interlaced): whole pictures are made of them',
  'wide-range': (n) => `wide range (${n.curve === 'pq' ? 'PQ' : 'HLG'}): brought into the film’s range`,
  'no-sound': () => 'no sound: light or timecode place it, or you do',
  'other-shape': () => 'other shape: fitted, or fill it in Balance',
  silent: () => 'the sound is silence',
  'pixel-aspect': (n) => `pixels ${n.aspect}: shown at ${n.width} × ${n.height}`,
  channels: (n) => `${n.channels} channels: each by itself in Balance`,
  'empty-channel': (n) => `the ${n.side} channel is empty`,
  timecode: (n) => `timecode ${n.label} as sound on channel ${n.channel}`,
}

/** What is odd about a file, in words. */
export function noteText(note: Note): string {
  return (WORDS[note.code] as (n: Note) => string)(note)
}
