import type { Rect } from '../picture/index.ts'
import type { Layer } from '../project/index.ts'
import type { Flicks } from '../time/index.ts'

/** How a layer is seen at an instant. */
export interface LayerState {
  /** Of it over what lies below, 0..1. */
  readonly share: number
  /** How far below its place it is, in heights of that. */
  readonly below: number
  /** How much of its time has gone by, 0..1. */
  readonly along: number
}

const within = (x: number) => Math.max(0, Math.min(1, x))

/** How a layer comes, stands and goes; it slides gently. */
export function layerAt({ from, to, fadeIn = 0 as Flicks, fadeOut = 0 as Flicks, title }: Layer, master: Flicks): LayerState {
  const come = fadeIn > 0 ? within((master - from) / fadeIn) : 1
  const left = fadeOut > 0 ? within((to - master) / fadeOut) : 1
  const there = Math.min(come, left)
  const along = within((master - from) / (to - from))
  if (!title?.slides) return { share: there, below: 0, along }
  const rest = 1 - there
  return { share: 1, below: rest * rest * (3 - 2 * rest), along }
}

interface Size {
  readonly width: number
  readonly height: number
}

/** The place of a layer in whole pixels of a frame. */
export function placeOf({ x, y, width, height }: Layer['place'], frame: Size): Rect {
  const [left, top] = [Math.round(x * frame.width), Math.round(y * frame.height)]
  return {
    x: left,
    y: top,
    width: Math.max(1, Math.round((x + width) * frame.width) - left),
    height: Math.max(1, Math.round((y + height) * frame.height) - top),
  }
}

/**
 * Where a still lies in a frame at an instant of the master, pixels, not rounded: whole within its place, in the middle of that; one that moves
 * goes gently from one place to the other.
 * @param own size of the still
 */
export function stillPlaceAt(layer: Layer, master: Flicks, frame: Size, own: Size): { share: number; x: number; y: number; width: number; height: number } {
  const { share, along } = layerAt(layer, master)
  const { place, placeTo = place } = layer
  const gone = along * along * (3 - 2 * along)
  const [x, y, width, height] = (['x', 'y', 'width', 'height'] as const).map((key) => place[key] + (placeTo[key] - place[key]) * gone)
  const scale = Math.min((width * frame.width) / own.width, (height * frame.height) / own.height)
  const [w, h] = [own.width * scale, own.height * scale]
  return { share, x: (x + width / 2) * frame.width - w / 2, y: (y + height / 2) * frame.height - h / 2, width: w, height: h }
}

/**
 * Where the drawing of a title lies in a frame at an instant of the master, whole pixels, and how much of it is seen.
 * @param height of the drawing, pixels: that of its place, or of all its words where these roll
 */
export function titleAt(layer: Layer, master: Flicks, frame: Size, height: number): { share: number; left: number; top: number; clip: Rect } {
  const { share, below, along } = layerAt(layer, master)
  const clip = placeOf(layer.place, frame)
  // What rolls comes in from below its place and ends above it.
  const top = layer.title?.rolls ? clip.y + clip.height - along * (clip.height + height) : clip.y + below * clip.height
  return { share, left: clip.x, top: Math.round(top), clip }
}
