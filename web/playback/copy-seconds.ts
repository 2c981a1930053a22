import { type Flicks, flicks, flicksToSeconds, masterToClip } from '@pendolo/core/time'
import type { PlayClip } from './types.ts'

/** Second of a clip's light copy that is seen at an instant of the master. */
export function copySeconds({ map, grid, pace }: Pick<PlayClip, 'map' | 'grid' | 'pace'>, at: Flicks): number {
  return flicksToSeconds(flicks(masterToClip(at, map) - grid.start)) * pace
}
