import { stillPlaceAt, titleAt } from '@pendolo/core/film'
import type { Layer } from '@pendolo/core/project'
import type { Flicks } from '@pendolo/core/time'
import type { Copies } from './copies.ts'
import { copySeconds } from './copy-seconds.ts'
import { type Over, type Shown, stillOf } from './over.ts'
import { shownKey } from './paint.ts'
import type { Instant, Seen } from './seen.ts'
import type { PlayClip } from './types.ts'

/** Frame in which changes of a title are looked for. */
const ROUGH = { width: 4000, height: 4000 }

/** What second pictures are taken from, and how: standing, they may be waited for and sharp. */
export interface Means {
  readonly seen: Seen
  readonly copies: Copies
  /** Called when a still has come. */
  readonly come: () => void
  /** With what is decoded already, and nothing else is begun for it. */
  readonly atOnce: boolean
}

/** What gives way to the programme's picture, or what it gives way to, titles, and the black at the film's ends; null where there is nothing of it. */
export function overProgramme(now: Instant, means: Means): Over | null {
  const { master } = now
  if (master === null) return null
  const { seen, come } = means
  const dark = seen.dark(now)
  const cutId = seen.ruling(now)
  const layers = seen.resolver.layersAt(cutId, master).map((layer) => {
    const own = layer.kind === 'title' || layer.kind === 'still'
    return { layer, picture: own ? null : pictureNow(seen.ofAngle(layer.angleId ?? '', master), master, means) }
  })
  const [giving, which] = seen.held ? [null, ''] : givingNow(cutId, master, means)
  if (!giving && layers.length === 0 && dark === 0) return null
  // What moves or fades is another one at each instant.
  const moves = layers.map(({ layer: l, picture: p }) => [
    l.id,
    l.text,
    l.title,
    l.edge,
    l.key,
    l.place,
    l.kind === 'still' ? stillSeen(l, master, come) : titleAt(l, master, ROUGH, 1),
    p && [l.angleId, shownKey(p)],
  ])
  return { giving, layers, master, dark, key: `:${which}:${dark.toFixed(3)}:${layers.length > 0 ? JSON.stringify(moves) : ''}` }
}

/** How a still is seen, by which it is known whether it must be drawn anew. */
function stillSeen(layer: Layer, master: Flicks, come: () => void) {
  const image = stillOf(layer, come)
  return image && [layer.fileId, stillPlaceAt(layer, master, ROUGH, image)]
}

function givingNow(cutId: string, master: Flicks, means: Means): [Over['giving'], string] {
  const { seen } = means
  const found = seen.resolver.givingAt(cutId, master)
  if (!found) return [null, '']
  const { kind, shown: other, share } = found
  if (kind !== 'dissolve') return [{ share: 2 * share, by: kind === 'dip' ? '#000' : '#fff' }, `${kind}:${share.toFixed(3)}`]
  const at = other.stillAt ?? master
  const clip = seen.clip(other.clipId, at, other.angleId)
  const by = pictureNow(clip, at, means)
  if (!clip || !by) return [null, '']
  return [{ share, by }, `${clip.clipId}:${shownKey(by)}:${share.toFixed(3)}`]
}

/** What is there of a second picture, and how it is seen; null where there is nothing. */
function pictureNow(clip: PlayClip | null, at: Flicks, { seen, copies, atOnce }: Means): Shown | null {
  const { playing, speed } = seen.clock
  const light = clip && copies.of(clip, false)
  if (!clip || !light) return null
  const seconds = copySeconds(clip, seen.pictured(clip, at))
  const blends = seen.sights.blends(clip.angleId, at, clip.clipId)
  const own = playing || atOnce ? null : copies.of(clip, true)
  const sharp = own?.still(seconds, blends) ?? null
  const sample = sharp ?? (playing ? (light.playing(seconds, speed) ?? light.nearest(seconds)) : light.still(seconds, blends))
  const from = sharp ? own : light
  return sample && { sample, sight: seen.sights.at(clip.angleId, at, clip.clipId), next: blends ? (from?.following(seconds) ?? null) : null }
}
