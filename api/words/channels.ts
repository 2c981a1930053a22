import type { Channel, FoundChannel, Position } from '@pendolo/core/mix'
import type { Clip, ProjectDoc } from '@pendolo/core/project'

const SEATS: Readonly<Record<Exclude<Position, 'alone'>, string>> = {
  FL: 'left',
  FR: 'right',
  FC: 'centre',
  LFE: 'low',
  BL: 'back left',
  BR: 'back right',
  BC: 'back centre',
  SL: 'side left',
  SR: 'side right',
}

/** What a channel is called: as somebody named it, else as its recorder did, else where it stands, else its number. */
export function channelName({ position, number, name }: Pick<FoundChannel, 'position' | 'number' | 'name'>, said?: Channel): string {
  return said?.name || name || (position === 'alone' ? `channel ${number}` : SEATS[position])
}

/**
 * What finding speech calls who wears a microphone: as its channel is named, else as its angle is.
 * @param channel where it is one channel of the clip
 */
export function speakerName({ angles }: Pick<ProjectDoc, 'angles'>, clip: Clip, fileName: string, channel: FoundChannel | null): string {
  const named = channel && (clip.channels?.[channel.key]?.name || channel.name)
  return named || `${angles.find((a) => a.id === clip.angleId)?.name ?? fileName}${channel ? ` ${channel.number}` : ''}`
}
