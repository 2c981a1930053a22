import type { Channel, FoundChannel, Position } from '@pendolo/core/mix'

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
