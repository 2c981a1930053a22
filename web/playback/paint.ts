import type { Sight } from '@pendolo/core/film'
import { type ColourTable, type Cutout, drawCard, type Framing, followed, framedRect, keepsColours, keptRect, placing } from '@pendolo/core/picture'
import { tableOf } from './looks.ts'
import { darkened, filled, type Ground, type Shown, scratchOf, sharpened } from './over.ts'
import { drawPicture, drawPlaced, type Picture } from './picture.ts'

/** Whether pictures are seen corrected. */
let withLooks = true

export const looksSeen = (): boolean => withLooks
export function seeLooks(on: boolean): void {
  withLooks = on
}

const sightKeys = new WeakMap<Sight, string>()
/** Tells ways to be seen apart. */
function sightKey(sight: Sight): string {
  let key = sightKeys.get(sight)
  if (key === undefined) {
    key = JSON.stringify([sight.framing, sight.cutout, sight.look])
    sightKeys.set(sight, key)
  }
  return key
}

/** Tells what is seen of pictures apart. */
export function shownKey({ sample, sight, next }: Shown): string {
  return `${sample.timestamp}:${sample.displayHeight}:${sightKey(sight)}${next ? `:${next.share.toFixed(3)}` : ''}`
}

/** Draws a picture as it is seen; one that gives way to the next one with that over it. */
export function paint(on: Ground, { sample, sight, next }: Shown): void {
  paintOne(on, sample, sight)
  // By itself first: what is put onto a canvas as pixels takes no share.
  const own = next && scratchOf(on.place, 'between')
  if (!own) return
  paintOne(own, next.sample, sight)
  on.ctx.globalAlpha = next.share
  on.ctx.drawImage(own.canvas, on.place.x, on.place.y)
  on.ctx.globalAlpha = 1
}

function paintOne(on: Ground, sample: Picture, { framing, cutout, look }: Sight): void {
  const table = look && withLooks && !keepsColours(look) ? tableOf(look) : null
  paintPicture(on, sample, framing, cutout, table)
  if (look?.sharpness && withLooks) sharpened(on, look.sharpness)
  if (look?.vignette && withLooks) darkened(on, look.vignette)
}

/** Draws a picture in its place, through a table of colours where there is one. */
export function paintPicture(on: Ground, sample: Picture, framing: Framing, cutout: Cutout | null, table: ColourTable | null): void {
  const { ctx, place } = on
  const { displayWidth, displayHeight } = sample
  if (cutout) {
    const map = followed(placing(displayWidth, displayHeight, place.width, place.height, framing, cutout), [1, 0, 0, 1, place.x, place.y])
    drawPlaced(ctx, sample, { map, kept: keptRect(displayWidth, displayHeight, cutout), place }, table)
    return
  }
  const rect = framedRect(displayWidth, displayHeight, place.width, place.height, framing)
  if (rect.x > 0.5 || rect.y > 0.5) filled(on, '#000')
  // What reaches beyond the tile is left away on the picture's side: a neighbour lies there.
  const [left, top] = [Math.max(0, -rect.x), Math.max(0, -rect.y)]
  const [width, height] = [rect.width - 2 * left, rect.height - 2 * top]
  const scale = displayWidth / rect.width
  const from = { x: left * scale, y: top * scale, width: width * scale, height: height * scale }
  drawPicture(ctx, sample, from, { x: place.x + rect.x + left, y: place.y + rect.y + top, width, height }, table)
}

export function paintCard({ ctx, place }: Ground, card: string): void {
  ctx.save()
  ctx.beginPath()
  ctx.rect(place.x, place.y, place.width, place.height)
  ctx.clip()
  ctx.translate(place.x, place.y)
  drawCard(ctx, card, place.width, place.height)
  ctx.restore()
}
