import { type Canvas, createCanvas, type SKRSContext2D } from '@napi-rs/canvas'
import type { View } from './cameras.ts'
import { clock, crowd, hall, steam } from './hall.ts'
import { market, stalls } from './market.ts'
import type { Motion } from './motion.ts'
import { players } from './players.ts'

/** The hall in its own units; cameras look at parts of it. */
const HALL = { width: 1600, height: 900 }

/** The clock's second hand moves this often a second. */
const CLOCK_STEPS = 4

/** Pixels painted around the picture of a shaking camera, so that it has something to show. */
const SHAKE_MARGIN = 12

interface Area {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

/** Draws one camera's pictures. The still parts are painted once; a frame repaints only where something moves. */
export class Scene {
  readonly canvas: Canvas
  readonly #ctx: SKRSContext2D
  readonly #view: View
  readonly #motion: Motion
  readonly #back: Canvas
  readonly #front: Canvas
  readonly #finish: Canvas
  readonly #world: Canvas
  readonly #worldCtx: SKRSContext2D
  readonly #foreign: boolean
  readonly #margin: number
  #tick = Number.NaN
  #bob = Number.NaN

  constructor(view: View, motion: Motion, foreign: boolean) {
    this.#view = view
    this.#motion = motion
    this.#foreign = foreign
    this.#margin = view.shake > 0 ? SHAKE_MARGIN : 0
    this.canvas = createCanvas(view.width, view.height)
    this.#ctx = this.canvas.getContext('2d')
    this.#ctx.imageSmoothingEnabled = false
    const layer = (paint: (c: SKRSContext2D) => void) => {
      const canvas = createCanvas(view.width + 2 * this.#margin, view.height + 2 * this.#margin)
      paint(canvas.getContext('2d'))
      return canvas
    }
    const looking = (paint: (c: SKRSContext2D) => void) =>
      layer((c) => {
        this.#look(c)
        paint(c)
      })
    this.#back = looking(foreign ? market : hall)
    this.#front = looking(foreign ? () => undefined : crowd)
    this.#finish = layer((c) => finish(c, view, this.#margin))
    this.#world = layer(() => undefined)
    this.#worldCtx = this.#world.getContext('2d')
    this.#worldCtx.imageSmoothingEnabled = false
    this.#repaint({ x: 0, y: 0, width: this.#world.width, height: this.#world.height }, 0, () => undefined)
  }

  #look(c: SKRSContext2D): void {
    const { width, height, zoom, x, y } = this.#view
    const s = Math.max(width / HALL.width, height / HALL.height) * zoom
    c.translate(width / 2 + this.#margin, height / 2 + this.#margin)
    c.scale(s, s)
    c.translate(-x * HALL.width, -y * HALL.height)
  }

  /** Part of the hall as whole pixels of the painted world; null when out of sight. */
  #seen(x1: number, y1: number, x2: number, y2: number): Area | null {
    const { width, height, zoom, x, y } = this.#view
    const s = Math.max(width / HALL.width, height / HALL.height) * zoom
    const px = (v: number) => width / 2 + this.#margin + (v - x * HALL.width) * s
    const py = (v: number) => height / 2 + this.#margin + (v - y * HALL.height) * s
    const left = Math.max(0, Math.floor(px(x1)))
    const top = Math.max(0, Math.floor(py(y1)))
    const right = Math.min(this.#world.width, Math.ceil(px(x2)))
    const bottom = Math.min(this.#world.height, Math.ceil(py(y2)))
    return right > left && bottom > top ? { x: left, y: top, width: right - left, height: bottom - top } : null
  }

  #repaint(area: Area, bob: number, paint: (c: SKRSContext2D) => void): void {
    const c = this.#worldCtx
    const { x, y, width, height } = area
    const copy = (from: Canvas, dy = 0) => c.drawImage(from, x, y - dy, width, height, x, y, width, height)
    c.save()
    c.beginPath()
    c.rect(x, y, width, height)
    c.clip()
    copy(this.#back)
    c.save()
    this.#look(c)
    paint(c)
    c.restore()
    copy(this.#front, bob)
    copy(this.#finish)
    c.restore()
  }

  /** Paints the picture of master time `t` and returns its bytes, RGBA. */
  frame(t: number): Buffer {
    const v = this.#view
    const m = this.#motion
    const dx = Math.round(v.shake * (Math.sin(t * 2.3) + 0.6 * Math.sin(t * 5.1 + 1)))
    const dy = Math.round(v.shake * (Math.sin(t * 1.9 + 2) + 0.5 * Math.sin(t * 6.3)))
    const bob = Math.round(3 * m.nod(t) + (m.clapping(t) ? 3 * Math.sin(t * 26) : 0))
    const paint = (x1: number, y1: number, x2: number, y2: number, draw: (c: SKRSContext2D) => void) => {
      const area = this.#seen(x1, y1, x2, y2)
      if (area) this.#repaint(area, bob, draw)
    }
    if (this.#foreign) paint(-400, 500, 2000, 900, (c) => stalls(c, t))
    else {
      const tick = Math.floor(t * CLOCK_STEPS)
      if (tick !== this.#tick) paint(1165, 180, 1315, 320, (c) => clock(c, tick / CLOCK_STEPS))
      this.#tick = tick
      if (t > 46 && t < 52) paint(250, -80, 620, 330, (c) => steam(c, m.steam(t)))
      paint(560, 470, 1620, 800, (c) => players(c, t, m))
      if (bob !== this.#bob) paint(-800, 800, 2400, 1000, () => undefined)
      this.#bob = bob
    }
    const flash = this.#foreign ? 0 : m.flash(t)
    const blocked = v.blocked.find(([from, to]) => t > from && t < to)
    const soft = v.soft.some(([from, to]) => t > from && t < to)
    if (v.shake === 0 && flash <= 0.01 && !blocked && !soft) return this.#world.data()
    const c = this.#ctx
    c.drawImage(this.#world, this.#margin - dx, this.#margin - dy, v.width, v.height, 0, 0, v.width, v.height)
    if (flash > 0.01) {
      c.fillStyle = `rgba(255,244,214,${(0.75 * flash).toFixed(3)})`
      c.fillRect(0, 0, v.width, v.height)
    }
    if (blocked) passerBy(c, v, (t - blocked[0]) / (blocked[1] - blocked[0]))
    if (soft) this.#defocus(c)
    return this.canvas.data()
  }

  /** A focus hunt: the picture drawn small and large again. */
  #defocus(c: SKRSContext2D): void {
    const small = createCanvas(this.#view.width >> 4, this.#view.height >> 4)
    small.getContext('2d').drawImage(this.canvas, 0, 0, small.width, small.height)
    c.imageSmoothingEnabled = true
    c.drawImage(small, 0, 0, this.#view.width, this.#view.height)
    c.imageSmoothingEnabled = false
  }
}

function finish(c: SKRSContext2D, view: View, margin: number): void {
  c.fillStyle = view.cast
  const [w, h] = [view.width + 2 * margin, view.height + 2 * margin]
  c.fillRect(0, 0, w, h)
  if (view.exposure < 1) c.fillStyle = `rgba(0,0,0,${(1 - view.exposure).toFixed(2)})`
  else c.fillStyle = `rgba(255,240,220,${((view.exposure - 1) * 0.5).toFixed(2)})`
  c.fillRect(0, 0, w, h)
  const edge = c.createRadialGradient(w / 2, h / 2, h * 0.45, w / 2, h / 2, w * 0.62)
  edge.addColorStop(0, 'rgba(0,0,0,0)')
  edge.addColorStop(1, 'rgba(0,0,0,0.5)')
  c.fillStyle = edge
  c.fillRect(0, 0, w, h)
}

function passerBy(c: SKRSContext2D, v: View, share: number): void {
  const x = v.width * (-0.15 + 1.1 * Math.min(1, share * 2.4))
  const px = Math.min(x, v.width * 0.52)
  c.fillStyle = '#0b0a0c'
  c.beginPath()
  c.ellipse(px, v.height * 0.55, v.height * 0.24, v.height * 0.3, 0, 0, 7)
  c.fill()
  c.beginPath()
  c.ellipse(px, v.height * 1.1, v.height * 0.5, v.height * 0.42, 0, 0, 7)
  c.fill()
}
