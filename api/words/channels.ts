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

/** What a channel is called where nobody named it: where it stands, else its number. */
export function channelName({ position, number }: Pick<FoundChannel, 'position' | 'number'>, said?: Channel): string {
  return said?.name || (position === 'alone' ? `channel ${number}` : SEATS[position])
}
