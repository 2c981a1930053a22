import type { Detail, DetailCode } from '../detail.ts'
import { counted } from './count.ts'

type Of<C extends DetailCode> = Detail & { readonly code: C }

const WORDS: { readonly [C in DetailCode]: (detail: Of<C>) => string } = {
  words: (d) => d.text,
  waiting: () => 'waiting',
  starting: () => 'starting',
  'taken-up': () => 'taken up again after a restart',
  cancelled: () => 'cancelled',
  'ended-twice': () => 'Pendolo ended twice while this ran, so it was set aside. If it was switched off in the middle, try again',
  unexpected: () => 'something went wrong in Pendolo itself; try again. If it happens again, the details say more',
  ready: () => 'ready',
  done: () => 'done',
  copying: () => 'making the light copy',
  steadying: () => 'following the camera and moving its pictures',
  mixing: () => 'mixing the sound',
  'joining-masters': () => 'joining the recordings of the master',
  'listening-master': () => 'listening to the master',
  'finding-beats': () => 'finding beats and bars',
  'finding-parts': () => 'comparing what is heard when',
  'finding-voices': () => 'listening for voices',
  listening: (d) => `listening to ${d.file}`,
  rendering: (d) => `about ${d.leftSeconds} s left · ${d.speed.toFixed(1)} × real time`,
  comparing: (d) => `comparing ${d.what === 'clocks' ? 'recording times' : d.what}`,
  'files-heard': (d) => `${d.done} of ${d.of} files heard`,
  'pairs-compared': (d) => `${d.done} of ${d.of} pairs compared`,
  'files-looked-at': (d) => `${counted(d.files, 'file')} looked at`,
  'lined-up': (d) => `${d.sure} sure, ${d.check} to check, ${d.loose} loose`,
  steadied: (d) => `steady, ${Math.round(100 * d.zoom)} % larger`,
  'not-near': () => 'nothing that fits was found near there',
  'not-at-speed': () => 'nothing that fits was found at that speed',
  originals: ({ found, missing }) =>
    [found.length > 0 && `found again: ${found.join(', ')}`, missing.length > 0 && `not in the folders that may be read: ${missing.join(', ')}`]
      .filter(Boolean)
      .join('; ') || 'nothing was missing',
  beats: (d) => (d.beats > 0 ? `${d.beats} beats in ${d.bars} bars` : 'there is no steady pulse in this recording'),
  parts: (d) => `${d.parts} parts and ${d.loud} loud moments`,
  phrases: (d) => (d.phrases > 0 ? `${d.phrases} phrases in ${d.seconds} s of speech` : 'nobody speaks in this recording'),
}

/** What a job does or how it went, in words. */
export function detailText(detail: Detail): string {
  return (WORDS[detail.code] as (d: Detail) => string)(detail)
}
