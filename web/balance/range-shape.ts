import { SHORT_FADE } from '@pendolo/core/mix'
import type { MixRange } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import type { PaperColours } from '../score/colours.ts'

/** What of a range is taken hold of: an edge, or how long it fades there. */
export type RangePart = 'from' | 'to' | 'fadeIn' | 'fadeOut'

/** So near to an edge it is taken hold of, and so near to a fade's handle, px. */
const CATCH_EDGE = 5
const CATCH_FADE = 8
/** Handles of fades are in so much of the top of a row, px. */
const HANDLES = 14
const HATCH = 5

/** How long a range fades at one of its ends. */
export const fadeOf = (range: MixRange, part: 'fadeIn' | 'fadeOut'): Flicks => range[part] ?? SHORT_FADE

/** A length as it is said: milliseconds below a second. */
export function fadeText(length: Flicks): string {
  const seconds = length / FLICKS_PER_SECOND
  return seconds < 1 ? `${Math.round(1000 * seconds)} ms` : `${seconds.toFixed(1)} s`
}

/** Where a fade ends inside of its range: its middle lies on the edge. */
const innerEnd = (range: MixRange, part: 'fadeIn' | 'fadeOut'): number =>
  part === 'fadeIn' ? range.from + fadeOf(range, part) / 2 : range.to - fadeOf(range, part) / 2

/** What of some ranges lies under the pointer; handles of fades before edges, later ranges before earlier ones. @param x pixels of a time */
export function partAt(ranges: readonly MixRange[], x: (time: number) => number, px: number, py: number): { range: MixRange; part: RangePart } | null {
  for (const range of [...ranges].reverse()) {
    if (py <= HANDLES) for (const part of ['fadeIn', 'fadeOut'] as const) if (Math.abs(x(innerEnd(range, part)) - px) <= CATCH_FADE) return { range, part }
    if (py > HANDLES) for (const part of ['from', 'to'] as const) if (Math.abs(x(range[part]) - px) <= CATCH_EDGE) return { range, part }
  }
  return null
}

/** A range with an edge moved to a time, or a fade drawn as far as there. */
export function moved(range: MixRange, part: RangePart, time: Flicks): MixRange {
  if (part === 'from') return { ...range, from: flicks(Math.min(time, range.to - SHORT_FADE)) }
  if (part === 'to') return { ...range, to: flicks(Math.max(time, range.from + SHORT_FADE)) }
  const inside = part === 'fadeIn' ? time - range.from : range.to - time
  const fade = flicks(Math.max(SHORT_FADE, Math.min(2 * inside, range.to - range.from)))
  const { [part]: _, ...rest } = range
  return fade === SHORT_FADE ? rest : { ...rest, [part]: fade }
}

/** Draws a range over a row: what is silent is hatched, what is heard is tinted, and how long it fades at both ends. */
export function drawRange(ctx: CanvasRenderingContext2D, range: MixRange, x: (time: number) => number, height: number, colours: PaperColours): void {
  const { on } = range
  const [a, b] = [x(range.from), x(range.to)]
  const width = Math.max(1, b - a)
  const edge = on ? colours.brass : '#a2382c'
  ctx.save()
  ctx.beginPath()
  ctx.rect(a, 2, width, height - 4)
  if (on) {
    ctx.globalAlpha = 0.22
    ctx.fillStyle = colours.brass
    ctx.fill()
  } else {
    ctx.globalAlpha = 0.72
    ctx.fillStyle = colours.paper
    ctx.fill()
    ctx.clip()
    ctx.globalAlpha = 0.5
    ctx.strokeStyle = colours.quiet
    ctx.lineWidth = 1
    ctx.beginPath()
    const from = Math.max(a, 0) - height
    for (let at = from - (from % HATCH); at < Math.min(b, ctx.canvas.width); at += HATCH) {
      ctx.moveTo(at, height)
      ctx.lineTo(at + height, 0)
    }
    ctx.stroke()
  }
  ctx.restore()
  ctx.strokeStyle = edge
  ctx.fillStyle = edge
  ctx.lineWidth = 1
  ctx.strokeRect(Math.round(a) + 0.5, 2.5, Math.round(width), height - 5)
  for (const part of ['fadeIn', 'fadeOut'] as const) {
    const [at, inner] = [x(part === 'fadeIn' ? range.from : range.to), x(innerEnd(range, part))]
    const far = inner - at
    // What fades for long leans over its edge.
    if (Math.abs(far) > 1) {
      ctx.beginPath()
      ctx.moveTo(at - far, on ? height - 3 : 3)
      ctx.lineTo(inner, on ? 3 : height - 3)
      ctx.stroke()
    }
    ctx.fillRect(Math.round(inner) - (part === 'fadeIn' ? 0 : 5), 3, 5, 5)
  }
}
