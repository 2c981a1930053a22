import latinMore from '@fontsource-variable/instrument-sans/files/instrument-sans-latin-ext-wght-normal.woff2?url'
import latin from '@fontsource-variable/instrument-sans/files/instrument-sans-latin-wght-normal.woff2?url'
import { CARD_FONTS, type Rect } from '@pendolo/core/picture'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameAt, frameShownAt } from '@pendolo/core/time'
import { Copies } from './copies.ts'
import { copySeconds } from './copy-seconds.ts'
import { Counting } from './counting.ts'
import { HeavyFinder } from './heavy.ts'
import { onInput } from './looks.ts'
import { filled, forgetDrawings, type Ground, knowStills, type Over, paintOver, type Shown } from './over.ts'
import { overProgramme } from './over-programme.ts'
import { looksSeen, paint, paintCard, paintPicture, seeLooks, shownKey } from './paint.ts'
import { drawRoughly } from './picture.ts'
import { Ready } from './ready.ts'
import { Rougher } from './rougher.ts'
import { type Instant, Seen } from './seen.ts'
import { Sharper } from './sharper.ts'
import type { FromWorker, PictureHealth, PlayClip, TileSource, ToWorker } from './types.ts'

/** Pixels that tiles lie on. */
interface Surface {
  readonly canvas: OffscreenCanvas
  readonly ctx: OffscreenCanvasRenderingContext2D
  /** Its size or the places of its tiles have changed: all of it is drawn anew. */
  stale: boolean
}

/** A part of a surface and what it shows. */
interface Tile {
  source: TileSource
  readonly surface: string
  /** Whole pixels of the surface; null is all of it. */
  place: Rect | null
  drawnKey: string
}

/** From drawing to being seen passes a refresh of the screen, ms; with each tile that changes there is more to bring there, up to two and a half. */
const UNTIL_SEEN = 17
const UNTIL_SEEN_OF_TILE = 2
const UNTIL_SEEN_AT_MOST = 42
/** Health is told at most this often, ms. */
const TELL_EVERY = 100
/** What is seen of a surface between its tiles: the ground of the stage. */
const GROUND = '#101113'
/** Tiles are drawn for so long, ms; then messages are heard, for a pressed key must not wait for a wall that is drawn slowly. Shorter, and pictures come later than what is heard. */
const SLICE = 30
const SMOOTHING = 0.1
/** Where it stands so long playing may begin, and what follows is decoded ahead, ms. */
const PRIMED_AFTER = 100

const surfaces = new Map<string, Surface>()
const tiles = new Map<string, Tile>()
const copies = new Copies(redraw)
const ready = new Ready(copies)
const seen = new Seen()
const sharper = new Sharper()
const rougher = new Rougher()
const heavy = new HeavyFinder((range) => postMessage({ type: 'heavy', range } satisfies FromWorker))
const counting = new Counting()
let dirty = true
let told = 0
let untold = true
let ticking = false
let primer: ReturnType<typeof setTimeout> | undefined
/** Addresses of copies that clips have. */
let urls: readonly (string | null)[] = []
/** Whether the programme was seen last from what was made for playing. */
let prepared = false
/** Whether what was drawn last is more than a picture as it was recorded. */
let laden = false
/** How long a slice of drawing takes, smoothed, ms: so much later is seen what it draws. */
let spent = 0
/** Tiles that are still to be drawn in this round. */
let rest: [string, Tile][] = []
let programme: Omit<PictureHealth['programme'], 'sharp'> = { angleId: null, since: 0, standIn: false }
const shown: Record<string, { clipId: string | null; frame: number | null; wanted: number | null }> = {}

const wall = () => performance.timeOrigin + performance.now()
/** What is drawn now. */
const instant = () => seen.instant(wall() + spent + Math.min(UNTIL_SEEN + UNTIL_SEEN_OF_TILE * tiles.size, UNTIL_SEEN_AT_MOST))

const isRough = () => seen.clock.playing && rougher.on

/** @param atOnce with what is decoded already, and nothing else is begun for it */
function draw(tile: Tile, key: string, now: Instant, atOnce = false): void {
  drawRoughly(isRough())
  if (tile.source.kind === 'programme') drawProgramme(tile, key, now, atOnce)
  else drawShown(tile, key, now, null, atOnce)
}

function drawProgramme(tile: Tile, key: string, at: Instant, atOnce: boolean): void {
  // Playing it changes with the film's pictures, not with each refresh of the screen: so it is what the film shows, and painted no more often.
  const now = seen.clock.playing ? seen.ofFilm(at) : at
  noteProgramme(now)
  prepared = false
  const card = now.film === null ? null : seen.resolver.cardAt(now.film)
  if (card) {
    const cardKey = `card:${card}`
    const on = tile.drawnKey === cardKey ? null : groundOf(tile)
    if (on) paintCard(on, card)
    tile.drawnKey = cardKey
    shown[key] = { clipId: null, frame: null, wanted: null }
  } else if (!drawReady(tile, key, now)) drawShown(tile, key, now, overProgramme(now, { seen, copies, come: redraw, atOnce }), atOnce)
}

/** Draws the programme from what was made for playing; false where nothing was, or it has not come in time. */
function drawReady(tile: Tile, key: string, now: Instant): boolean {
  const { clip, at } = seen.programme(now)
  const made = looksSeen() ? ready.at(seen, now) : null
  if (made === null || now.master === null) return false
  if (made !== 'wait') {
    prepared = true
    const dark = seen.dark(now)
    const drawKey = `ready:${made.url}:${made.sample.timestamp}:${dark.toFixed(3)}${isRough()}`
    const on = drawKey === tile.drawnKey ? null : groundOf(tile)
    if (on) {
      paintPicture(on, made.sample, 'fit', null, null)
      paintOver(on, { giving: null, layers: [], master: now.master, dark, key: '' }, paint)
    }
    tile.drawnKey = drawKey
  }
  const frame = clip && frameShownAt(seen.pictured(clip, at), clip.map, clip.grid)
  shown[key] = { clipId: clip?.clipId ?? null, frame, wanted: frame }
  return true
}

/** Draws the picture of a tile, with what lies over it. */
function drawShown(tile: Tile, key: string, now: Instant, over: Over | null, atOnce: boolean): void {
  const { clip, at } = seen.ofTile(tile.source, now)
  const pictured = clip ? seen.pictured(clip, at) : at
  const frame = clip ? frameShownAt(pictured, clip.map, clip.grid) : null
  if (!clip || frame === null) {
    const none = `none${over ? over.key : ''}`
    const on = tile.drawnKey === none ? null : groundOf(tile)
    if (on) filled(on, '#000')
    if (on && over) paintOver(on, over, paint)
    tile.drawnKey = none
    shown[key] = { clipId: null, frame: null, wanted: null }
    return
  }
  const { playing, speed } = seen.clock
  if (playing && tile.source.kind === 'angle')
    counting.due(key, clip.clipId, frame, (now.film ?? at) / FLICKS_PER_SECOND, (clip.grid.rate.num / clip.grid.rate.den) * Math.abs(speed))
  const found = playing ? playingPicture(tile, clip, at, pictured) : standingPicture(tile, clip, at, pictured, atOnce)
  if (!found && !playing) return
  const { sight } = found ?? {}
  laden = over !== null || found?.next != null || sight?.look != null || sight?.cutout != null
  const drawKey = found ? `${clip.clipId}:${shownKey(found)}${over ? over.key : ''}:${isRough()}` : 'wait'
  // Painting is the dearest thing here and a pressed key waits for it: what stands there already is not painted again.
  if (found && drawKey !== tile.drawnKey) {
    const on = groundOf(tile)
    if (on) paint(on, found)
    if (on && over) paintOver(on, over, paint)
    tile.drawnKey = drawKey
  } else if (!found && !tile.drawnKey.startsWith(clip.clipId)) {
    // Nothing of this clip is decoded yet and what is seen belongs to another one.
    blank(tile)
    tile.drawnKey = 'wait'
  }
  const exact = found?.exact === true
  if (exact) counting.shown(key)
  const { sample } = found ?? {}
  const got = sample && (exact || clip.pace === 0 ? frame : frameAt(flicks(Math.round((sample.timestamp / clip.pace) * FLICKS_PER_SECOND)), clip.grid.rate))
  shown[key] = { clipId: clip.clipId, frame: got ?? null, wanted: frame }
}

/** A picture as it is seen, and whether it is the one that is due. */
type Found = Shown & { readonly exact: boolean }

function playingPicture(tile: Tile, clip: PlayClip, at: Flicks, pictured: Flicks): Found | null {
  const seconds = copySeconds(clip, pictured)
  const { speed } = seen.clock
  const light = copies.of(clip, false)
  const due = light?.playing(seconds, speed) ?? null
  const exact = due !== null
  let [sample, from] = [due ?? light?.nearest(seconds) ?? null, light]
  if (tile.source.kind === 'programme' && sharper.tried) {
    const sharp = copies.of(clip, true)
    const own = sharp?.playing(seconds, speed) ?? null
    sharper.asked(own !== null)
    if (own && sharper.seen) [sample, from] = [own, sharp]
  }
  const blends = exact && seen.sights.blends(clip.angleId, at, clip.clipId)
  const moved = seen.ofFilm({ master: at, film: null }).master ?? at
  return sample && { sample, sight: seen.sights.at(clip.angleId, moved, clip.clipId), next: blends ? (from?.following(seconds) ?? null) : null, exact }
}

/** Standing, all but the wall is shown from the sharper copy; the tile's picture serves until it is there. */
function standingPicture(tile: Tile, clip: PlayClip, at: Flicks, pictured: Flicks, atOnce: boolean): Found | null {
  const seconds = copySeconds(clip, pictured)
  const blends = seen.sights.blends(clip.angleId, at, clip.clipId)
  const onWall = tile.source.kind === 'angle' && !tile.source.asCut
  const sharp = onWall || atOnce ? null : copies.of(clip, true)
  const own = sharp?.still(seconds, blends) ?? null
  const from = own ? sharp : copies.of(clip, false)
  const sample = own ?? from?.still(seconds, blends) ?? null
  return sample && { sample, sight: seen.sights.at(clip.angleId, at, clip.clipId), next: blends ? (from?.following(seconds) ?? null) : null, exact: true }
}

/** Shows in the programme what stands on the wall of the angle that is held: it is there already, and made anew in a moment. */
function copied(tile: Tile, key: string): boolean {
  const now = instant()
  const { clip, at } = seen.programme(now)
  const from = [...tiles.values()].find(
    ({ source, drawnKey }) => source.kind === 'angle' && source.angleId === clip?.angleId && drawnKey.startsWith(`${clip.clipId}:`),
  )
  const [to, there] = [groundOf(tile), from && groundOf(from)]
  if (!seen.held || !clip || !to || !there) return false
  const [a, b] = [there.place, to.place]
  to.ctx.drawImage(there.canvas, a.x, a.y, a.width, a.height, b.x, b.y, b.width, b.height)
  tile.drawnKey = 'copied'
  const frame = frameShownAt(seen.pictured(clip, at), clip.map, clip.grid)
  shown[key] = { clipId: clip.clipId, frame, wanted: frame }
  noteProgramme(now)
  return true
}

function noteProgramme(now: Instant): void {
  const { clip, standIn } = seen.programme(now)
  const angleId = clip?.angleId ?? null
  if (angleId !== programme.angleId || standIn !== programme.standIn) programme = { angleId, since: wall(), standIn }
}

function groundOf(tile: Tile): Ground | null {
  const surface = surfaces.get(tile.surface)
  if (!surface) return null
  const { canvas, ctx } = surface
  return { canvas, ctx, place: tile.place ?? { x: 0, y: 0, width: canvas.width, height: canvas.height } }
}

function blank(tile: Tile): void {
  const on = groundOf(tile)
  if (on) filled(on, '#000')
}

/** Surfaces whose tiles lie elsewhere than before are emptied, to be drawn anew. */
function emptyStale(): boolean {
  const stale = [...surfaces].filter(([, s]) => s.stale)
  for (const [key, surface] of stale) {
    surface.stale = false
    surface.ctx.fillStyle = GROUND
    surface.ctx.fillRect(0, 0, surface.canvas.width, surface.canvas.height)
    for (const tile of tiles.values()) if (tile.surface === key) tile.drawnKey = ''
  }
  return stale.length > 0
}

function makeStale(key: string): void {
  const surface = surfaces.get(key)
  if (surface) surface.stale = true
}

/** The fonts of cards and titles; what was drawn before they came is drawn again. */
async function loadFonts(): Promise<void> {
  const { fonts } = globalThis as typeof globalThis & { readonly fonts: FontFaceSet }
  for (const [i, url] of [latin, latinMore].entries()) fonts.add(await new FontFace(CARD_FONTS[i], `url(${url})`, { weight: '400 700' }).load())
  forgetDrawings()
  for (const tile of tiles.values()) if (tile.source.kind === 'programme') tile.drawnKey = ''
  redraw()
}

// What was drawn without the table that its look names is drawn again.
onInput(() => {
  for (const tile of tiles.values()) tile.drawnKey = ''
  redraw()
})

/** Draws at the next refresh; while nothing plays and nothing changes, nothing is drawn and nothing is told. */
function redraw(): void {
  dirty = true
  clearTimeout(primer)
  if (ticking) return
  ticking = true
  requestAnimationFrame(tick)
}

/**
 * Draws what is left of the round, for a slice of time; the rest follows when messages have been heard.
 * @param whole in one go, so that nothing empty is seen
 */
function slice(whole = false): void {
  const began = performance.now()
  const time = instant()
  for (let next = rest.pop(); next; next = rest.pop()) {
    const [key, tile] = next
    if (tiles.get(key) === tile) drawCounted(tile, key, time)
    if (!whole && performance.now() - began > SLICE) break
  }
  // What was drawn since it was told last is told too.
  untold = true
  const took = performance.now() - began
  sharper.worked(took)
  rougher.worked(took)
  spent += SMOOTHING * (took - spent)
  if (rest.length > 0) setTimeout(() => slice())
}

/** Draws a tile; of a programme that has something over it, or whose pictures are not as they were recorded, it is counted how long that takes. */
function drawCounted(tile: Tile, key: string, now: Instant): void {
  const began = performance.now()
  laden = false
  draw(tile, key, now)
  if (tile.source.kind !== 'programme') return
  const { playing, speed } = seen.clock
  if (playing && speed === 1 && laden && now.master !== null) heavy.drawn(seen.ruling(now), now.master, performance.now() - began)
  else heavy.rest()
}

function tick(): void {
  const { playing } = seen.clock
  if ((playing || dirty) && rest.length === 0) {
    dirty = false
    const whole = emptyStale()
    // Taken from the end: the programme first.
    rest = [...tiles].sort(([, a], [, b]) => Number(a.source.kind === 'programme') - Number(b.source.kind === 'programme'))
    slice(whole)
  }
  const now = performance.now()
  if (playing) {
    if (!rougher.on) sharper.judge(now, counting.counted)
    rougher.judge(now, counting.counted)
  }
  if (untold && now - told > TELL_EVERY) {
    told = now
    untold = false
    postMessage({
      type: 'health',
      health: {
        ...counting.counted,
        shown: { ...shown },
        programme: { ...programme, sharp: sharper.seen, ...(prepared && { prepared }), ...(isRough() && { rough: true }) },
      },
    } satisfies FromWorker)
    if (playing) copies.closeIdle()
  }
  ticking = playing || dirty || untold || rest.length > 0
  if (ticking) requestAnimationFrame(tick)
  else primer = setTimeout(prime, PRIMED_AFTER)
}

/** Playing, the wall shows its pictures from the first on. */
function prime(): void {
  const now = instant()
  for (const { source } of tiles.values()) {
    const { clip, at } = seen.ofTile(source, now)
    if (clip) copies.of(clip, false)?.prime(copySeconds(clip, seen.pictured(clip, at)))
  }
}

void loadFonts().catch(() => undefined)

self.addEventListener('message', (event: MessageEvent<ToWorker>) => {
  const message = event.data
  switch (message.type) {
    case 'model': {
      const { model } = message
      // What is seen in another way has another key, and is painted again.
      seen.show(model)
      knowStills(model.stills)
      urls = model.clips.flatMap((c) => [c.tileUrl, c.sharpUrl])
      copies.keep(new Set([...urls, ...ready.urls]))
      break
    }
    case 'looks':
      seeLooks(message.on)
      for (const tile of tiles.values()) tile.drawnKey = ''
      break
    case 'clock':
      if (!seen.clock.playing && message.clock.playing) {
        counting.begin()
        sharper.begin(performance.now(), counting.counted)
        rougher.begin(performance.now(), counting.counted)
      }
      seen.run(message.clock)
      break
    case 'surface': {
      const ctx = message.canvas.getContext('2d', { alpha: false })
      if (ctx) surfaces.set(message.key, { canvas: message.canvas, ctx, stale: true })
      break
    }
    case 'size': {
      const surface = surfaces.get(message.key)
      if (surface && (surface.canvas.width !== message.width || surface.canvas.height !== message.height)) {
        surface.canvas.width = message.width
        surface.canvas.height = message.height
        surface.stale = true
      }
      break
    }
    case 'dropSurface':
      surfaces.delete(message.key)
      break
    case 'tile': {
      const { key, surface, source, place } = message
      tiles.set(key, { source, surface, place, drawnKey: '' })
      makeStale(surface)
      break
    }
    case 'place': {
      const tile = tiles.get(message.key)
      if (tile) {
        tile.place = message.place
        makeStale(tile.surface)
      }
      break
    }
    case 'source': {
      const tile = tiles.get(message.key)
      if (tile) tile.source = message.source
      break
    }
    case 'drop':
      makeStale(tiles.get(message.key)?.surface ?? '')
      tiles.delete(message.key)
      counting.drop(message.key)
      delete shown[message.key]
      break
    case 'hold':
      // It is told again and again while it lasts.
      if (!seen.hold(message.held)) return
      // At once, not at the next screen refresh: a pressed key is waited for.
      for (const [key, tile] of tiles) if (tile.source.kind === 'programme' && !copied(tile, key)) draw(tile, key, instant(), true)
      break
    case 'drawing':
      copies.drawBy(message.by)
      break
    case 'ready':
      ready.know(message.ranges)
      copies.keep(new Set([...urls, ...ready.urls]))
      break
    case 'reset':
      counting.reset()
      break
  }
  redraw()
})
