import { FEWEST_COLOURS, type Look, looked, matched } from '@pendolo/core/picture'
import type { FromMatch, ToMatch } from './match-colours.ts'

/** The look that makes the colours of one camera those of another; null where too few of them are known. */
function lookFor({ own, reference, referenceLook }: ToMatch): Look | null {
  if (Math.min(own.length, reference.length) < FEWEST_COLOURS) return null
  return matched(own, referenceLook ? reference.map((c) => looked(referenceLook, c)) : reference)
}

self.addEventListener('message', ({ data }: MessageEvent<ToMatch>) => {
  postMessage({ look: lookFor(data) } satisfies FromMatch)
})
