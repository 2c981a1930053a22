import { Tooltip } from 'antd'
import type { ReactNode } from 'react'

/** Our own words, and what each means, in a line. */
const MEANS = {
  magnet: 'What pulls a cut to itself: a press lands there, not a moment late.',
  lead: 'How many frames before the beat a pulled cut comes; cuts look in time when they come a little early.',
  'touch lag': 'How late your own presses come after what you hear; it is taken off again while you play.',
  'stands in': 'The chosen angle has no picture here, so another one is shown, or its last one is held: see the rules under “to look at”.',
  'light copy': 'A small copy that plays smoothly in place of the original. Films are made from the originals.',
  'flam check': 'Plays clip and master together: out of place, every stroke is heard twice.',
  windows: 'Short stretches of the clip’s sound, each looked for by itself on the master: how many of them lead to this same place.',
  'next-best place': 'Where else the sound would fit, and how well against this place: 1.00× is as well, 0.20× a fifth as well.',
  clock: 'How much faster or slower the device counts time than the master, and what that makes at the clip’s end.',
  polarity: 'The sound is upside down against the master: one of the two was wired the other way.',
  park: 'It belongs here, but is to have no place for now.',
} as const

export type OwnWord = keyof typeof MEANS

/** One of our own words, explained where it is met: by the pointer, and to who goes by keys. */
export function Own({ word, children }: { word: OwnWord; children?: ReactNode }) {
  return (
    <Tooltip title={MEANS[word]} mouseEnterDelay={0.4}>
      <span className="own">{children ?? word}</span>
    </Tooltip>
  )
}
