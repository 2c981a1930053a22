import type { GatheredFile } from '@pendolo/api'

/** Channels and rate of a file's sound, in words. */
export function soundText({ facts }: GatheredFile): string {
  if (!facts.audio) return 'none'
  const layout = facts.audio.channels === 1 ? 'mono' : facts.audio.channels === 2 ? 'stereo' : `${facts.audio.channels} channels`
  return `${layout}, ${(facts.audio.sampleRate / 1000).toLocaleString()} kHz`
}
