import latinMore from '@fontsource-variable/instrument-sans/files/instrument-sans-latin-ext-wght-normal.woff2?url'
import latin from '@fontsource-variable/instrument-sans/files/instrument-sans-latin-wght-normal.woff2?url'
import { FilmResolver, type Sight, Sights, stillPlaceAt, titleAt } from '@pendolo/core/film'
import {
  CARD_FONTS,
  type ColourTable,
  type Cutout,
  drawCard,
  type Framing,
  followed,
  framedRect,
  keepsColours,
  keptRect,
  placing,
  type Rect,
} from '@pendolo/core/picture'
import type { Layer } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameAt, frameShownAt, frameStart, masterToProgramme, runAt, ZERO } from '@pendolo/core/time'
import { onCard } from './card.ts'
import { copySeconds } from './copy-seconds.ts'
import { HeavyFinder } from './heavy.ts'
import { onInput, tableOf } from './looks.ts'
import { darkened, filled, forgetDrawings, type Ground, knowStills, type Over, paintOver, type Shown, scratchOf, sharpened, stillOf } from './over.ts'
import { asPlanes, drawPicture, drawPlaced, type Picture, withoutGraphics } from './picture.ts'
import { FrameStream } from './stream.ts'
import type { ClockMap, FromWorker, Held, PictureHealth, PictureModel, PlayClip, ReadyRange, TileSource, ToWorker } from './types.ts'

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
  /** Frame counted as due last, so that each counts once, and the one that was drawn in time last. */
  dueKey: string
  metKey: string
  drawnKey: string
}

/** What was made for playing is opened so long before, s, and waited for so long, ms. */
const SOON = 2
const PATIENCE = 1000
/** Streams not looked at for this long are closed, ms. */
const IDLE = 4000
/** From drawing to being seen passes more than one refresh of the screen, ms: with few large tiles about one, with many small ones two. */
const UNTIL_SEEN = 27
/** Health is told at most this often, ms. */
const TELL_EVERY = 100

/** Whether the machine keeps up is looked at this often while it plays, ms; more often while the sharper copy is tried, which may be all it takes. */
const JUDGED_EVERY = 1000
const JUDGED_SHARP = 250
/** With more of the pictures late than this the programme goes back to the light copy; with fewer than the other it takes the sharper one. */
const TOO_LATE = 0.01
const KEEPS_UP = 0.005
/** So many pictures of the sharper copy must be there one after the other before it is seen, so that it does not flicker. */
const STEADY = 6
/** After it did not keep up it is tried again so much later, each time four times as late, ms. */
const TRIED_AGAIN = 30_000
const TRIED_AGAIN_AT_MOST = 600_000

/** Drawing more than this share of its time the machine has none left for a sharper copy; below the other it has. */
const TOO_BUSY = 0.5
const IS_FREE = 0.12
const GOOD_SECONDS = 3
/** What is seen of a surface between its tiles: the ground of the stage. */
const GROUND = '#101113'
/** Tiles are drawn for so long, ms; then messages are heard, for a pressed key must not wait for a wall that is drawn slowly. Shorter, and pictures come later than what is heard. */
const SLICE = 30
const SMOOTHING = 0.1

let plain = withoutGraphics()
const surfaces = new Map<string, Surface>()
const tiles = new Map<string, Tile>()
const streams = new Map<string, { stream: FrameStream; used: number }>()
let model: PictureModel = {
  angles: [],
  exceptions: {},
  fades: { in: ZERO, out: ZERO },
  layers: {},
  stills: {},
  clips: [],
  points: {},
  cutId: '',
  runs: [],
  standIn: 'next',
}
let resolver = resolverOf(model)
let sights = new Sights([], {})
let byId: ReadonlyMap<string, readonly PlayClip[]> = new Map()
let clock: ClockMap = { playing: false, along: 'master', time: 0, wall: 0, speed: 1 }
/** A choice that was pressed and whose cut lies a little ahead. */
let held: Held | null = null
let due = 0
let late = 0
let dirty = true
let told = 0
let untold = true
let ticking = false
/** Ranges of the programme that were made for playing. */
let ready: readonly ReadyRange[] = []
/** Whether the programme was seen from one of them last. */
let prepared = false
/** Whether what was drawn last is more than a picture as it was recorded. */
let laden = false
const heavy = new HeavyFinder((range) => postMessage({ type: 'heavy', range } satisfies FromWorker))
/** Whether pictures are seen corrected. */
let withLooks = true
/** How long a slice of drawing takes, smoothed, ms: so much later is seen what it draws. */
let spent = 0
/** Tiles that are still to be drawn in this round. */
let rest: [string, Tile][] = []
let programme: Omit<PictureHealth['programme'], 'sharp'> = { angleId: null, since: 0, standIn: false }
/** The programme's sharper copy while it plays: whether it is tried, and how it went since it was judged last. */
const sharper = { on: false, steady: 0, judged: 0, due: 0, late: 0, busy: 0, good: 0, from: 0, wait: TRIED_AGAIN }
const shown: Record<string, { clipId: string | null; frame: number | null; wanted: number | null }> = {}

const wall = () => performance.timeOrigin + performance.now()

function resolverOf({ angles, clips, points, runs, standIn, fades, layers }: PictureModel): FilmResolver {
  const material = { spans: clips.filter((c) => c.angleId !== ''), order: angles.map((a) => a.id), standIn }
  return new FilmResolver(runs, material, { points: (id) => points[id] ?? [], layers: (id) => layers[id] ?? [], fades })
}

/** Clips by their ids; one that lost time has several parts. */
function partsOf(clips: readonly PlayClip[]): Map<string, PlayClip[]> {
  const out = new Map<string, PlayClip[]>()
  for (const clip of clips) {
    const parts = out.get(clip.clipId)
    if (parts) parts.push(clip)
    else out.set(clip.clipId, [clip])
  }
  return out
}

/** Time of the clock now, whichever it counts. */
function clockTime(): Flicks {
  if (!clock.playing) return flicks(Math.round(clock.time))
  return flicks(Math.round(clock.time + ((wall() + spent + UNTIL_SEEN - clock.wall) / 1000) * clock.speed * FLICKS_PER_SECOND))
}

function streamOf(clip: PlayClip, sharp: boolean): FrameStream | null {
  const url = sharp ? clip.sharpUrl : clip.tileUrl
  return url ? streamFrom(url) : null
}

function streamFrom(url: string): FrameStream {
  let entry = streams.get(url)
  if (!entry) {
    entry = { stream: new FrameStream(url, redraw, plain ? asPlanes : onCard), used: 0 }
    streams.set(url, entry)
  }
  entry.used = performance.now()
  return entry.stream
}

/** An instant to be drawn: on the master's time, and in the film where that is played. */
interface Instant {
  /** null on a card of the film. */
  readonly master: Flicks | null
  readonly film: Flicks | null
}

function instant(): Instant {
  const time = clockTime()
  if (clock.along === 'master') return { master: time, film: null }
  return { master: resolver.masterAt(time), film: time }
}

/** A clip as an angle shows it; each angle that does so sees it in its own way. */
function clipOf(id: string | null, time: Flicks, angleId: string | null): PlayClip | null {
  const all = id === null ? undefined : byId.get(id)
  const own = all?.filter((c) => c.angleId === angleId)
  const parts = own?.length ? own : all
  return parts?.find((c) => time >= c.start && time < c.end) ?? parts?.[0] ?? null
}

/** The instant whose picture of a clip is seen at an instant; one that runs at its own speed stops where there are no more. */
function picturedIn({ angleId, clipId, start, end, grid }: PlayClip, at: Flicks): Flicks {
  const pictured = sights.pictured(angleId, at, clipId)
  return pictured === at ? at : flicks(Math.max(start, Math.min(end - frameStart(1, grid.rate), pictured)))
}

/** What the programme shows, and of which instant of the master. */
function programmeClip({ master, film }: Instant): { clip: PlayClip | null; at: Flicks; standIn: boolean } {
  if (held && held.until !== null && (!clock.playing || (master !== null && master >= held.until))) held = null
  if (master === null) return { clip: null, at: ZERO, standIn: false }
  if (held) {
    const own = resolver.clipAt(held.angleId, master, held.clipId)
    if (own) return { clip: clipOf(own.clipId, master, own.angleId), at: master, standIn: false }
  }
  const shown = (film === null ? null : resolver.seenAt(film)) ?? resolver.shownAt(model.cutId, master)
  const at = shown.stillAt ?? master
  return { clip: clipOf(shown.clipId, at, shown.angleId), at, standIn: shown.standIn }
}

function clipFor(tile: Tile, now: Instant): { clip: PlayClip | null; time: Flicks } {
  const { source } = tile
  const time = now.master ?? ZERO
  if (source.kind === 'clip') {
    const at = flicks(time + source.offset)
    return { clip: clipOf(source.clipId, at, null), time: at }
  }
  if (source.kind === 'programme') {
    const { clip, at } = programmeClip(now)
    return { clip, time: at }
  }
  const span = now.master === null ? null : resolver.clipAt(source.angleId, time)
  return { clip: span && clipOf(span.clipId, time, span.angleId), time }
}

/** @param atOnce with what is decoded already, and nothing else is begun for it */
function draw(tile: Tile, key: string, now: Instant, atOnce = false): void {
  const { clip, time: at } = clipFor(tile, now)
  if (tile.source.kind === 'programme') noteProgramme(now)
  const pictured = clip ? picturedIn(clip, at) : at
  const frame = clip ? frameShownAt(pictured, clip.map, clip.grid) : null
  const wantedKey = clip && frame !== null ? `${clip.clipId}:${frame}` : 'none'
  if (tile.source.kind === 'programme') prepared = false
  const card = tile.source.kind === 'programme' && now.film !== null ? resolver.cardAt(now.film) : null
  if (card) {
    const cardKey = `card:${card}`
    if (tile.drawnKey !== cardKey) paintCard(tile, card)
    tile.drawnKey = cardKey
    shown[key] = { clipId: null, frame: null, wanted: null }
    return
  }
  if (tile.source.kind === 'programme' && drawReady(tile, now)) {
    const clipId = clip?.clipId ?? null
    shown[key] = { clipId, frame, wanted: frame }
    return
  }
  const over = tile.source.kind === 'programme' ? overIt(now, clock.playing, atOnce) : null
  if (!clip || frame === null) {
    const none = `none${over ? over.key : ''}`
    const on = tile.drawnKey === none ? null : groundOf(tile)
    if (on) filled(on, '#000')
    if (on && over) paintOver(on, over, paint)
    tile.drawnKey = none
    shown[key] = { clipId: null, frame: null, wanted: null }
    return
  }
  const playing = clock.playing
  const isProgramme = tile.source.kind !== 'angle'
  const seconds = copySeconds(clip, pictured)
  let sample: Picture | null = null
  const light = streamOf(clip, false)
  let from = light
  let exact = true
  const blends = sights.blends(clip.angleId, at, clip.clipId)
  if (playing) {
    sample = light?.playing(seconds, clock.speed) ?? null
    if (wantedKey !== tile.dueKey) {
      // Each frame that becomes due counts once; whether it was late is known when the next one is due.
      if (tile.dueKey !== 'none' && tile.source.kind === 'angle') {
        due++
        if (tile.metKey !== tile.dueKey) late++
      }
      tile.dueKey = wantedKey
    }
    exact = sample !== null
    sample ??= light?.nearest(seconds) ?? null
    if (tile.source.kind === 'programme' && sharper.on) {
      const own = streamOf(clip, true)?.playing(seconds, clock.speed) ?? null
      sharper.steady = own ? sharper.steady + 1 : 0
      if (own && sharper.steady > STEADY) {
        sample = own
        from = streamOf(clip, true)
      }
    }
  } else {
    // Standing, the programme is shown from the sharper copy; the tile's picture serves until it is there.
    const sharp = isProgramme && !atOnce ? streamOf(clip, true) : null
    sample = sharp?.still(seconds, blends) ?? null
    if (sample) from = sharp
    else sample = light?.still(seconds, blends) ?? null
    if (!sample) return
  }
  const sight = sights.at(clip.angleId, at, clip.clipId)
  const picture = sample && { sample, sight, next: blends && exact ? (from?.following(seconds) ?? null) : null }
  laden = over !== null || picture?.next != null || sight.look !== null || sight.cutout !== null
  const drawKey = picture ? `${clip.clipId}:${shownKey(picture)}${over ? over.key : ''}` : 'wait'
  // Painting is the dearest thing here and a pressed key waits for it: what stands there already is not painted again.
  if (picture && drawKey !== tile.drawnKey) {
    const on = groundOf(tile)
    if (on) paint(on, picture)
    if (on && over) paintOver(on, over, paint)
    tile.drawnKey = drawKey
  } else if (!sample && !tile.drawnKey.startsWith(clip.clipId)) {
    // Nothing of this clip is decoded yet and what is seen belongs to another one.
    blank(tile)
    tile.drawnKey = 'wait'
  }
  if (sample && exact) tile.metKey = wantedKey
  const got = sample && (exact || clip.pace === 0 ? frame : frameAt(flicks(Math.round((sample.timestamp / clip.pace) * FLICKS_PER_SECOND)), clip.grid.rate))
  shown[key] = { clipId: clip.clipId, frame: got, wanted: frame }
}

/** The version that rules at an instant. */
const ruling = ({ film }: Instant): string => (film === null ? null : runAt(resolver.runs, film)?.cutId) ?? model.cutId

/** What was made for playing and is waited for while it plays, and since when. */
let awaited: { readonly url: string; readonly since: number | null } = { url: '', since: null }

/** Draws the programme from what was made for playing; false where nothing was, or it has not come in time. */
function drawReady(tile: Tile, now: Instant): boolean {
  const { master } = now
  if (ready.length === 0 || master === null || held || !withLooks) return false
  const cutId = ruling(now)
  const range = ready.find((r) => r.cutId === cutId && r.from - SOON * FLICKS_PER_SECOND <= master && master < r.to)
  if (!range) return false
  if (master < range.from) {
    // Its first pictures are got ready.
    streamFrom(range.url).playing(0, clock.speed)
    return false
  }
  const stream = streamFrom(range.url)
  const seconds = (master - range.from) / FLICKS_PER_SECOND
  if (!clock.playing) {
    // Standing it is drawn as it is; what will be played from here is opened.
    stream.still(seconds)
    awaited = { url: range.url, since: null }
    return false
  }
  const sample = stream.playing(seconds, clock.speed) ?? stream.nearest(seconds)
  if (!sample) {
    if (awaited.url !== range.url || awaited.since === null) awaited = { url: range.url, since: performance.now() }
    // Drawing all of it meanwhile would keep its decoder waiting: what is seen stays for a moment, and after each that is drawn for another.
    if (performance.now() - (awaited.since ?? 0) < PATIENCE) return true
    awaited = { url: range.url, since: null }
    return false
  }
  prepared = true
  const dark = darkNow(now)
  const drawKey = `ready:${range.url}:${sample.timestamp}:${dark.toFixed(3)}`
  const on = drawKey === tile.drawnKey ? null : groundOf(tile)
  if (on) {
    paintPicture(on, sample, 'fit', null, null)
    paintOver(on, { giving: null, layers: [], master, dark, key: '' }, paint)
  }
  tile.drawnKey = drawKey
  return true
}

/** Share of black over the programme. */
function darkNow({ master, film }: Instant): number {
  const along = film ?? (master === null ? null : masterToProgramme(resolver.runs, master))
  return along === null ? 0 : resolver.darkAt(along)
}

/** Shows in the programme what stands on the wall of the angle that is held: it is there already, and made anew in a moment. */
function copied(tile: Tile, key: string): boolean {
  const now = instant()
  const { clip, time } = clipFor(tile, now)
  const from = [...tiles.values()].find(
    ({ source, drawnKey }) => source.kind === 'angle' && source.angleId === clip?.angleId && drawnKey.startsWith(`${clip.clipId}:`),
  )
  const [to, at] = [groundOf(tile), from && groundOf(from)]
  if (!held || !clip || !to || !at) return false
  const [a, b] = [at.place, to.place]
  to.ctx.drawImage(at.canvas, a.x, a.y, a.width, a.height, b.x, b.y, b.width, b.height)
  tile.drawnKey = 'copied'
  const frame = frameShownAt(picturedIn(clip, time), clip.map, clip.grid)
  shown[key] = { clipId: clip.clipId, frame, wanted: frame }
  noteProgramme(now)
  return true
}

/** Takes the sharper copy for the programme while the machine keeps up, and leaves it when it does not. */
function judgeSharper(now: number): void {
  if (!clock.playing || now - sharper.judged < (sharper.on ? JUDGED_SHARP : JUDGED_EVERY)) return
  const [came, missed] = [due - sharper.due, late - sharper.late]
  // What was counted anew meanwhile says nothing.
  if (came >= 0 && missed >= 0) {
    const busy = sharper.busy / (now - sharper.judged)
    if (sharper.on && (busy > TOO_BUSY || missed > Math.max(1, TOO_LATE * came))) {
      sharper.on = false
      sharper.steady = 0
      sharper.good = 0
      sharper.from = now + sharper.wait
      sharper.wait = Math.min(TRIED_AGAIN_AT_MOST, 4 * sharper.wait)
    } else if (!sharper.on && now >= sharper.from) {
      // One good second may be chance.
      sharper.good = busy < IS_FREE && missed <= KEEPS_UP * came ? sharper.good + 1 : 0
      sharper.on = sharper.good >= GOOD_SECONDS
    }
  }
  Object.assign(sharper, { judged: now, due, late, busy: 0 })
}

const sameHeld = (a: Held | null, b: Held | null): boolean => a?.angleId === b?.angleId && a?.clipId === b?.clipId && a?.until === b?.until

function noteProgramme(now: Instant): void {
  const { clip, standIn } = programmeClip(now)
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
function shownKey({ sample, sight, next }: Shown): string {
  return `${sample.timestamp}:${sample.displayHeight}:${sightKey(sight)}${next ? `:${next.share.toFixed(3)}` : ''}`
}

function paint(on: Ground, { sample, sight, next }: Shown): void {
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

function paintPicture(on: Ground, sample: Picture, framing: Framing, cutout: Cutout | null, table: ColourTable | null): void {
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

/** What gives way to the programme's picture, or what it gives way to, titles, and the black at the film's ends; null where there is nothing of it. */
function overIt(now: Instant, playing: boolean, atOnce: boolean): Over | null {
  const { master } = now
  if (master === null) return null
  const dark = darkNow(now)
  const cutId = ruling(now)
  const layers = resolver
    .layersAt(cutId, master)
    .map((layer) => ({ layer, picture: layer.kind === 'title' || layer.kind === 'still' ? null : insetNow(layer, master, playing, atOnce) }))
  const [giving, which] = held ? [null, ''] : givingNow(cutId, master, playing, atOnce)
  if (!giving && layers.length === 0 && dark === 0) return null
  // What moves or fades is another one at each instant.
  const moves = layers.map(({ layer: l, picture: p }) => [
    l.id,
    l.text,
    l.title,
    l.edge,
    l.key,
    l.place,
    l.kind === 'still' ? stillSeen(l, master) : titleAt(l, master, ROUGH, 1),
    p && [l.angleId, shownKey(p)],
  ])
  return { giving, layers, master, dark, key: `:${which}:${dark.toFixed(3)}:${layers.length > 0 ? JSON.stringify(moves) : ''}` }
}

/** The picture of the angle of an inset or a background. */
function insetNow({ angleId = '' }: Layer, master: Flicks, playing: boolean, atOnce: boolean) {
  const span = resolver.clipAt(angleId, master)
  return pictureNow(span && clipOf(span.clipId, master, span.angleId), master, playing, atOnce)
}

/** How a still is seen, by which it is known whether it must be drawn anew. */
function stillSeen(layer: Layer, master: Flicks) {
  const image = stillOf(layer, redraw)
  return image && [layer.fileId, stillPlaceAt(layer, master, ROUGH, image)]
}

/** Frame in which changes of a title are looked for. */
const ROUGH = { width: 4000, height: 4000 }

function givingNow(cutId: string, master: Flicks, playing: boolean, atOnce: boolean): [Over['giving'], string] {
  const found = resolver.givingAt(cutId, master)
  if (!found) return [null, '']
  const { kind, shown: other, share } = found
  if (kind !== 'dissolve') return [{ share: 2 * share, by: kind === 'dip' ? '#000' : '#fff' }, `${kind}:${share.toFixed(3)}`]
  const at = other.stillAt ?? master
  const clip = clipOf(other.clipId, at, other.angleId)
  const by = pictureNow(clip, at, playing, atOnce)
  if (!clip || !by) return [null, '']
  return [{ share, by }, `${clip.clipId}:${shownKey(by)}:${share.toFixed(3)}`]
}

/** What is there of a second picture, and how it is seen; null where there is nothing. */
function pictureNow(clip: PlayClip | null, at: Flicks, playing: boolean, atOnce: boolean): Shown | null {
  const stream = clip && streamOf(clip, false)
  if (!clip || !stream) return null
  const seconds = copySeconds(clip, picturedIn(clip, at))
  const blends = sights.blends(clip.angleId, at, clip.clipId)
  const own = playing || atOnce ? null : streamOf(clip, true)
  const sharp = own?.still(seconds, blends) ?? null
  const sample = sharp ?? (playing ? (stream.playing(seconds, clock.speed) ?? stream.nearest(seconds)) : stream.still(seconds, blends))
  const from = sharp ? own : stream
  return sample && { sample, sight: sights.at(clip.angleId, at, clip.clipId), next: blends ? (from?.following(seconds) ?? null) : null }
}

function paintCard(tile: Tile, card: string): void {
  const on = groundOf(tile)
  if (!on) return
  const { ctx, place } = on
  ctx.save()
  ctx.beginPath()
  ctx.rect(place.x, place.y, place.width, place.height)
  ctx.clip()
  ctx.translate(place.x, place.y)
  drawCard(ctx, card, place.width, place.height)
  ctx.restore()
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
  const took = performance.now() - began
  sharper.busy += took
  spent += SMOOTHING * (took - spent)
  if (rest.length > 0) setTimeout(() => slice())
}

/** Draws a tile; of a programme that has something over it, or whose pictures are not as they were recorded, it is counted how long that takes. */
function drawCounted(tile: Tile, key: string, now: Instant): void {
  const began = performance.now()
  laden = false
  draw(tile, key, now)
  if (tile.source.kind !== 'programme') return
  if (clock.playing && clock.speed === 1 && laden && now.master !== null) heavy.drawn(ruling(now), now.master, performance.now() - began)
  else heavy.rest()
}

function tick(): void {
  if ((clock.playing || dirty) && rest.length === 0) {
    dirty = false
    untold = true
    const whole = emptyStale()
    // Taken from the end: the programme first.
    rest = [...tiles].sort(([, a], [, b]) => Number(a.source.kind === 'programme') - Number(b.source.kind === 'programme'))
    slice(whole)
  }
  const now = performance.now()
  judgeSharper(now)
  if (untold && now - told > TELL_EVERY) {
    told = now
    untold = false
    postMessage({
      type: 'health',
      health: { due, late, shown: { ...shown }, programme: { ...programme, sharp: sharper.steady > STEADY, ...(prepared && { prepared }) } },
    } satisfies FromWorker)
    for (const [url, { stream, used }] of streams) {
      if (now - used > IDLE && clock.playing) {
        stream.close()
        streams.delete(url)
      }
    }
  }
  ticking = clock.playing || dirty || untold
  if (ticking) requestAnimationFrame(tick)
}

void loadFonts().catch(() => undefined)

self.addEventListener('message', (event: MessageEvent<ToWorker>) => {
  const message = event.data
  switch (message.type) {
    case 'model': {
      model = message.model
      // What is seen in another way has another key, and is painted again.
      sights = new Sights(model.angles, model.exceptions)
      knowStills(model.stills)
      // What was pressed while it stands is in the cut by now.
      if (held?.until === null) held = null
      resolver = resolverOf(model)
      byId = partsOf(model.clips)
      const urls = new Set([...model.clips.flatMap((c) => [c.tileUrl, c.sharpUrl]), ...ready.map((r) => r.url)])
      for (const [url, { stream }] of streams) {
        if (urls.has(url)) continue
        stream.close()
        streams.delete(url)
      }
      break
    }
    case 'looks':
      withLooks = message.on
      for (const tile of tiles.values()) tile.drawnKey = ''
      break
    case 'clock':
      if (!clock.playing && message.clock.playing) {
        for (const tile of tiles.values()) tile.dueKey = 'none'
        Object.assign(sharper, { steady: 0, judged: performance.now(), due, late, busy: 0 })
      }
      clock = message.clock
      if (held?.until === null) held = null
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
      tiles.set(key, { source, surface, place, dueKey: 'none', metKey: '', drawnKey: '' })
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
      delete shown[message.key]
      break
    case 'hold':
      // It is told again and again while it lasts.
      if (sameHeld(held, message.held)) return
      held = message.held
      // At once, not at the next screen refresh: a pressed key is waited for.
      for (const [key, tile] of tiles) if (tile.source.kind === 'programme' && !copied(tile, key)) draw(tile, key, instant(), true)
      break
    case 'drawing':
      plain = message.by === 'processor'
      break
    case 'ready':
      ready = message.ranges
      break
    case 'reset':
      due = 0
      late = 0
      break
  }
  redraw()
})
