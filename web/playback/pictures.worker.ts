import latinMore from '@fontsource-variable/instrument-sans/files/instrument-sans-latin-ext-wght-normal.woff2?url'
import latin from '@fontsource-variable/instrument-sans/files/instrument-sans-latin-wght-normal.woff2?url'
import { FilmResolver } from '@pendolo/core/film'
import { CARD_FONTS, drawCard, framedRect } from '@pendolo/core/picture'
import { FLICKS_PER_SECOND, type Flicks, flicks, flicksToSeconds, frameAt, frameShownAt, masterToClip, ZERO } from '@pendolo/core/time'
import type { VideoSample } from 'mediabunny'
import { FrameStream } from './stream.ts'
import type { ClockMap, FromWorker, Held, PictureHealth, PictureModel, PlayClip, TileSource, ToWorker } from './types.ts'

/** A canvas and what it shows. */
interface Tile {
  source: TileSource
  readonly canvas: OffscreenCanvas
  readonly ctx: OffscreenCanvasRenderingContext2D
  /** Frame counted as due last, so that each counts once, and the one that was drawn in time last. */
  dueKey: string
  metKey: string
  drawnKey: string
}

/** Streams not looked at for this long are closed, ms. */
const IDLE = 4000
/** From drawing to being seen passes about one refresh of the screen, ms. */
const UNTIL_SEEN = 17
/** Health is told at most this often, ms. */
const TELL_EVERY = 100

const tiles = new Map<string, Tile>()
const streams = new Map<string, { stream: FrameStream; used: number }>()
let model: PictureModel = { angles: [], clips: [], points: {}, cutId: '', runs: [], standIn: 'next' }
let resolver = resolverOf(model)
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
let programme: PictureHealth['programme'] = { angleId: null, since: 0, standIn: false }
const shown: Record<string, { clipId: string | null; frame: number | null; wanted: number | null }> = {}

const wall = () => performance.timeOrigin + performance.now()

function resolverOf({ angles, clips, points, runs, standIn }: PictureModel): FilmResolver {
  const material = { spans: clips.filter((c) => c.angleId !== ''), order: angles.map((a) => a.id), standIn }
  return new FilmResolver(runs, material, { points: (id) => points[id] ?? [], layers: () => [] })
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
  return flicks(Math.round(clock.time + ((wall() + UNTIL_SEEN - clock.wall) / 1000) * clock.speed * FLICKS_PER_SECOND))
}

function streamOf(clip: PlayClip, sharp: boolean): FrameStream | null {
  const url = sharp ? clip.sharpUrl : clip.tileUrl
  if (!url) return null
  let entry = streams.get(url)
  if (!entry) {
    entry = { stream: new FrameStream(url, redraw), used: 0 }
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

function clipOf(id: string | null, time: Flicks): PlayClip | null {
  const parts = id === null ? undefined : byId.get(id)
  return parts?.find((c) => time >= c.start && time < c.end) ?? parts?.[0] ?? null
}

function programmeClip({ master, film }: Instant): { clip: PlayClip | null; standIn: boolean } {
  if (held && (!clock.playing || (master !== null && master >= held.until))) held = null
  if (master === null) return { clip: null, standIn: false }
  if (held) {
    const own = resolver.clipAt(held.angleId, master, held.clipId)
    if (own) return { clip: clipOf(own.clipId, master), standIn: false }
  }
  const shown = (film === null ? null : resolver.seenAt(film)) ?? resolver.shownAt(model.cutId, master)
  return { clip: clipOf(shown.clipId, master), standIn: shown.standIn }
}

function clipFor(tile: Tile, now: Instant): { clip: PlayClip | null; time: Flicks } {
  const { source } = tile
  const time = now.master ?? ZERO
  if (source.kind === 'clip') {
    const at = flicks(time + source.offset)
    return { clip: clipOf(source.clipId, at), time: at }
  }
  if (source.kind === 'programme') return { clip: programmeClip(now).clip, time }
  const span = now.master === null ? null : resolver.clipAt(source.angleId, time)
  return { clip: span && clipOf(span.clipId, time), time }
}

function draw(tile: Tile, key: string, now: Instant): void {
  const { clip, time: at } = clipFor(tile, now)
  if (tile.source.kind === 'programme') noteProgramme(now)
  const frame = clip ? frameShownAt(at, clip.map, clip.grid) : null
  const wantedKey = clip && frame !== null ? `${clip.clipId}:${frame}` : 'none'
  const card = tile.source.kind === 'programme' && now.film !== null ? resolver.cardAt(now.film) : null
  if (card) {
    const cardKey = `card:${card}`
    if (tile.drawnKey !== cardKey) drawCard(tile.ctx, card, tile.canvas.width, tile.canvas.height)
    tile.drawnKey = cardKey
    shown[key] = { clipId: null, frame: null, wanted: null }
    return
  }
  if (!clip || frame === null) {
    if (tile.drawnKey !== 'none') blank(tile)
    tile.drawnKey = 'none'
    shown[key] = { clipId: null, frame: null, wanted: null }
    return
  }
  const playing = clock.playing
  const isProgramme = tile.source.kind !== 'angle'
  const seconds = flicksToSeconds(flicks(masterToClip(at, clip.map) - clip.grid.start)) * clip.pace
  let sample: VideoSample | null = null
  const light = streamOf(clip, false)
  let exact = true
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
  } else {
    // Standing, the programme is shown from the sharper copy; the tile's picture serves until it is there.
    sample = (isProgramme ? streamOf(clip, true)?.still(seconds) : null) ?? light?.still(seconds) ?? null
    if (!sample) return
  }
  const drawKey = sample ? `${clip.clipId}:${sample.timestamp}` : 'wait'
  // Painting is the dearest thing here and a pressed key waits for it: what stands on the canvas already is not painted again.
  if (sample && (drawKey !== tile.drawnKey || (isProgramme && !playing))) {
    paint(tile, sample, clip.angleId)
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

function noteProgramme(now: Instant): void {
  const { clip, standIn } = programmeClip(now)
  const angleId = clip?.angleId ?? null
  if (angleId !== programme.angleId || standIn !== programme.standIn) programme = { angleId, since: wall(), standIn }
}

function blank(tile: Tile): void {
  tile.ctx.fillStyle = '#000'
  tile.ctx.fillRect(0, 0, tile.canvas.width, tile.canvas.height)
}

function paint(tile: Tile, sample: VideoSample, angleId: string): void {
  const { canvas, ctx } = tile
  const framing = model.angles.find((a) => a.id === angleId)?.framing ?? 'fit'
  const rect = framedRect(sample.displayWidth, sample.displayHeight, canvas.width, canvas.height, framing)
  if (rect.x > 0.5 || rect.y > 0.5) blank(tile)
  sample.draw(ctx, rect.x, rect.y, rect.width, rect.height)
}

/** The fonts of cards; a card that was drawn before they came is drawn again. */
async function loadFonts(): Promise<void> {
  const { fonts } = globalThis as typeof globalThis & { readonly fonts: FontFaceSet }
  for (const [i, url] of [latin, latinMore].entries()) fonts.add(await new FontFace(CARD_FONTS[i], `url(${url})`, { weight: '400 700' }).load())
  for (const tile of tiles.values()) if (tile.drawnKey.startsWith('card:')) tile.drawnKey = ''
  redraw()
}

/** Draws at the next refresh; while nothing plays and nothing changes, nothing is drawn and nothing is told. */
function redraw(): void {
  dirty = true
  if (ticking) return
  ticking = true
  requestAnimationFrame(tick)
}

function tick(): void {
  const time = instant()
  if (clock.playing || dirty) {
    dirty = false
    untold = true
    for (const [key, tile] of tiles) draw(tile, key, time)
  }
  const now = performance.now()
  if (untold && now - told > TELL_EVERY) {
    told = now
    untold = false
    postMessage({ type: 'health', health: { due, late, shown: { ...shown }, programme } } satisfies FromWorker)
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
      const reframed = message.model.angles.some(({ id, framing }) => model.angles.find((a) => a.id === id)?.framing !== framing)
      if (reframed) for (const tile of tiles.values()) tile.drawnKey = ''
      model = message.model
      resolver = resolverOf(model)
      byId = partsOf(model.clips)
      const urls = new Set(model.clips.flatMap((c) => [c.tileUrl, c.sharpUrl]))
      for (const [url, { stream }] of streams) {
        if (urls.has(url)) continue
        stream.close()
        streams.delete(url)
      }
      break
    }
    case 'clock':
      if (!clock.playing && message.clock.playing) for (const tile of tiles.values()) tile.dueKey = 'none'
      clock = message.clock
      break
    case 'tile': {
      const ctx = message.canvas.getContext('2d', { alpha: false })
      if (ctx) tiles.set(message.key, { source: message.source, canvas: message.canvas, ctx, dueKey: 'none', metKey: '', drawnKey: '' })
      break
    }
    case 'size': {
      const tile = tiles.get(message.key)
      if (tile && (tile.canvas.width !== message.width || tile.canvas.height !== message.height)) {
        tile.canvas.width = message.width
        tile.canvas.height = message.height
        tile.drawnKey = ''
      }
      break
    }
    case 'source': {
      const tile = tiles.get(message.key)
      if (tile) tile.source = message.source
      break
    }
    case 'drop':
      tiles.delete(message.key)
      delete shown[message.key]
      break
    case 'hold':
      held = message.held
      // At once, not at the next screen refresh: a pressed key is waited for.
      for (const [key, tile] of tiles) if (tile.source.kind === 'programme') draw(tile, key, instant())
      break
    case 'reset':
      due = 0
      late = 0
      break
  }
  redraw()
})
