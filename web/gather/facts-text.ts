import { type GatheredFile, sizeText } from '@pendolo/api'
import type { Flag } from '@pendolo/core/project'
import { printRate } from '@pendolo/core/time'

/** Channels and rate of a file's sound, in words. */
export function soundText({ facts }: GatheredFile): string {
  if (!facts.audio) return 'none'
  const layout = facts.audio.channels === 1 ? 'mono' : facts.audio.channels === 2 ? 'stereo' : `${facts.audio.channels} channels`
  return `${layout}, ${(facts.audio.sampleRate / 1000).toLocaleString()} kHz`
}

/** When a file was recorded, in short: the day without its year, and the time of day. */
export function recordedText(recordedAt: string | null): string {
  const [, day, time = ''] = /^(\d{4}-\d\d-\d\d)(?:T(\d\d:\d\d))?/.exec(recordedAt ?? '') ?? []
  if (!day) return ''
  return `${new Date(`${day}T00:00:00Z`).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' })} ${time}`.trim()
}

/** Timecode that was found recorded as sound: the label at the file's beginning. */
export function heardTimecode({ notes }: GatheredFile): string | null {
  for (const note of notes) if (note.code === 'timecode') return note.label
  return null
}

/** Everything known of a file, for the tip on its name. */
export function factsText({ path, size, facts }: GatheredFile): string {
  const { video, audio } = facts
  const picture = () => {
    if (!video) return null
    if (video.still) return `${video.codec}, one picture, pixels ${video.pixelAspect}`
    return `${video.codec}, ${video.frames} pictures at ${video.variableRate ? 'a variable rate around ' : ''}${printRate(video.rate)}, pixels ${video.pixelAspect}`
  }
  return [
    path,
    `${sizeText(size)}, ${facts.container}`,
    picture(),
    audio && `${audio.codec}, ${audio.channels} channels${audio.streams > 1 ? `, ${audio.streams} streams` : ''}`,
    facts.recordedAt && `recorded ${facts.recordedAt}`,
    facts.camera && `camera ${facts.camera}`,
  ]
    .filter(Boolean)
    .join('\n')
}

/** Kinds of clips as they are chosen by and, where no note of the file says it, told in its row. */
export const FLAG_WORDS: Readonly<Record<Flag, string>> = {
  'other-rate': 'another rate than the project’s',
  'variable-rate': 'variable rate',
  'off-speed': 'likely off-speed',
  fields: 'two fields a picture',
  'wide-range': 'wide range',
  streams: 'several sound streams',
  'no-sound': 'without sound',
  'sound-only': 'sound only',
  still: 'stills',
}

/** Flags that notes and columns of the row do not say already. */
export const TOLD_FLAGS: ReadonlySet<Flag> = new Set(['off-speed', 'streams'])
