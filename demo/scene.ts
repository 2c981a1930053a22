import { type Canvas, createCanvas, type SKRSContext2D } from '@napi-rs/canvas'
import { seeded } from './band.ts'
import type { View } from './cameras.ts'
import type { Motion } from './motion.ts'

/** The hall in its own units; cameras look at parts of it. */
const HALL = { width: 1600, height: 900 }
const SKIN = ['#c99a78', '#8d5f45', '#e0b798', '#a87455', '#d3a585', '#7a4e38', '#c48f6c']

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

function hall(c: SKRSContext2D): void {
  const wall = c.createLinearGradient(0, 0, 0, 900)
  wall.addColorStop(0, '#141a26')
  wall.addColorStop(0.55, '#2b2a33')
  wall.addColorStop(0.8, '#1b1719')
  wall.addColorStop(1, '#0c0b0c')
  c.fillStyle = wall
  c.fillRect(-800, -600, 3200, 2200)
  // Arched windows with the blue of the evening behind.
  for (let i = 0; i < 6; i++) {
    const x = 60 + i * 270
    const glow = c.createLinearGradient(0, 90, 0, 430)
    glow.addColorStop(0, '#29406b')
    glow.addColorStop(1, '#4a4a66')
    c.fillStyle = glow
    c.beginPath()
    c.moveTo(x, 430)
    c.lineTo(x, 190)
    c.arc(x + 85, 190, 85, Math.PI, 0)
    c.lineTo(x + 170, 430)
    c.fill()
    c.strokeStyle = '#11131a'
    c.lineWidth = 7
    c.stroke()
    c.lineWidth = 3
    for (const k of [1, 2]) {
      c.beginPath()
      c.moveTo(x + k * 57, 120)
      c.lineTo(x + k * 57, 430)
      c.stroke()
    }
    c.beginPath()
    c.moveTo(x, 270)
    c.lineTo(x + 170, 270)
    c.stroke()
  }
  // Roof beams.
  c.strokeStyle = '#0b0c10'
  c.lineWidth = 14
  for (let i = -1; i < 7; i++) {
    c.beginPath()
    c.moveTo(i * 270 + 10, 80)
    c.lineTo(i * 270 + 145, -30)
    c.lineTo(i * 270 + 280, 80)
    c.stroke()
  }
  c.fillStyle = '#0d0e12'
  c.fillRect(-800, 66, 3200, 16)
  floor(c)
  tram(c)
  stageFloor(c)
  for (const x of [250, 610, 970, 1330]) lamp(c, x, 150)
}

function floor(c: SKRSContext2D): void {
  const ground = c.createLinearGradient(0, 690, 0, 1000)
  ground.addColorStop(0, '#2a2421')
  ground.addColorStop(1, '#0d0b0a')
  c.fillStyle = ground
  c.fillRect(-800, 690, 3200, 900)
  c.strokeStyle = 'rgba(200,190,170,0.35)'
  c.lineWidth = 5
  for (const [a, b] of [
    [120, -240],
    [330, 60],
    [560, 520],
    [770, 860],
  ]) {
    c.beginPath()
    c.moveTo(a, 692)
    c.lineTo(b, 1000)
    c.stroke()
  }
}

function tram(c: SKRSContext2D): void {
  const body = c.createLinearGradient(0, 300, 0, 690)
  body.addColorStop(0, '#a23a2a')
  body.addColorStop(0.5, '#8a2d21')
  body.addColorStop(1, '#541a14')
  c.fillStyle = body
  c.beginPath()
  c.roundRect(40, 300, 560, 380, [46, 46, 14, 14])
  c.fill()
  c.fillStyle = '#e6d5a8'
  c.fillRect(40, 500, 560, 20)
  for (let i = 0; i < 4; i++) {
    const pane = c.createLinearGradient(0, 345, 0, 480)
    pane.addColorStop(0, '#ffe9b0')
    pane.addColorStop(1, '#e0a85a')
    c.fillStyle = pane
    c.beginPath()
    c.roundRect(74 + i * 128, 345, 108, 135, 10)
    c.fill()
    c.fillStyle = 'rgba(60,30,20,0.35)'
    c.fillRect(74 + i * 128, 405, 108, 5)
  }
  c.fillStyle = '#f5e6bd'
  c.font = 'bold 84px "DejaVu Serif", serif'
  c.fillText('7', 300, 612)
  c.fillStyle = '#1a1412'
  c.fillRect(80, 680, 480, 20)
  for (const x of [150, 480]) {
    c.beginPath()
    c.arc(x, 690, 38, 0, 7)
    c.fill()
  }
  const head = c.createRadialGradient(560, 560, 4, 560, 560, 120)
  head.addColorStop(0, 'rgba(255,246,214,0.95)')
  head.addColorStop(0.15, 'rgba(255,230,160,0.6)')
  head.addColorStop(1, 'rgba(255,220,140,0)')
  c.fillStyle = head
  c.fillRect(440, 440, 240, 240)
}

function stageFloor(c: SKRSContext2D): void {
  c.fillStyle = '#3a2a1f'
  c.beginPath()
  c.moveTo(620, 700)
  c.lineTo(1560, 700)
  c.lineTo(1620, 770)
  c.lineTo(580, 770)
  c.fill()
  c.fillStyle = '#241a14'
  c.fillRect(580, 770, 1040, 26)
  const pool = c.createRadialGradient(1080, 560, 60, 1080, 600, 620)
  pool.addColorStop(0, 'rgba(255,205,120,0.40)')
  pool.addColorStop(1, 'rgba(255,205,120,0)')
  c.fillStyle = pool
  c.fillRect(300, 60, 1500, 800)
}

function lamp(c: SKRSContext2D, x: number, y: number): void {
  c.strokeStyle = '#0b0b0d'
  c.lineWidth = 4
  c.beginPath()
  c.moveTo(x, 70)
  c.lineTo(x, y)
  c.stroke()
  const glow = c.createRadialGradient(x, y + 20, 2, x, y + 20, 210)
  glow.addColorStop(0, 'rgba(255,226,160,0.9)')
  glow.addColorStop(0.12, 'rgba(255,205,120,0.42)')
  glow.addColorStop(1, 'rgba(255,190,100,0)')
  c.fillStyle = glow
  c.fillRect(x - 210, y - 190, 420, 420)
  c.fillStyle = '#23262e'
  c.beginPath()
  c.moveTo(x - 34, y + 14)
  c.quadraticCurveTo(x, y - 34, x + 34, y + 14)
  c.fill()
}

function crowd(c: SKRSContext2D): void {
  const random = seeded(3)
  for (let row = 0; row < 2; row++) {
    for (let x = -100; x < 1750; x += 74 - row * 6) {
      const px = x + random() * 26
      const py = 838 + row * 46 + random() * 22
      c.fillStyle = row === 0 ? '#151318' : '#0a090b'
      c.beginPath()
      c.ellipse(px, py + 74, 46, 62, 0, 0, 7)
      c.fill()
      c.beginPath()
      c.arc(px, py, 22 + 4 * random(), 0, 7)
      c.fill()
    }
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

function players(c: SKRSContext2D, t: number, m: Motion): void {
  const speaking = m.speaking(t)
  speaker(c, speaking ? 830 : 650, speaking ? 640 : 650, t, m, speaking)
  const band: ['cornet' | 'horn' | 'trombone' | 'tuba', number][] = speaking
    ? [
        ['cornet', 1010],
        ['cornet', 1090],
        ['horn', 1170],
        ['trombone', 1250],
        ['tuba', 1335],
      ]
    : [
        ['cornet', 770],
        ['cornet', 880],
        ['horn', 985],
        ['trombone', 1090],
        ['tuba', 1200],
      ]
  for (const [i, [instrument, x]] of band.entries()) brass(c, instrument, x, 600, i, t, m)
  bells(c, 1490, t, m)
  drummer(c, 1330 + (speaking ? 90 : 0), t, m)
}

function clock(c: SKRSContext2D, t: number): void {
  const [x, y, r] = [1240, 250, 62]
  c.fillStyle = '#efe6cf'
  c.strokeStyle = '#15120f'
  c.lineWidth = 8
  c.beginPath()
  c.arc(x, y, r, 0, 7)
  c.fill()
  c.stroke()
  c.lineWidth = 3
  for (let i = 0; i < 12; i++) {
    const a = (i * Math.PI) / 6
    c.beginPath()
    c.moveTo(x + Math.sin(a) * 48, y - Math.cos(a) * 48)
    c.lineTo(x + Math.sin(a) * 55, y - Math.cos(a) * 55)
    c.stroke()
  }
  const hand = (turn: number, length: number, width: number, colour: string) => {
    c.strokeStyle = colour
    c.lineWidth = width
    c.beginPath()
    c.moveTo(x, y)
    c.lineTo(x + Math.sin(turn * 2 * Math.PI) * length, y - Math.cos(turn * 2 * Math.PI) * length)
    c.stroke()
  }
  hand((7.5 + t / 3600) / 12, 30, 6, '#15120f')
  hand((30 + t / 60) / 60, 46, 4, '#15120f')
  hand(t / 60, 52, 2.5, '#b3372a')
}

function steam(c: SKRSContext2D, since: number): void {
  if (since < 0) return
  for (let i = 0; i < 16; i++) {
    const age = since - i * 0.16
    if (age < 0 || age > 2.6) continue
    c.fillStyle = `rgba(235,235,240,${(0.32 * (1 - age / 2.6)).toFixed(3)})`
    c.beginPath()
    c.arc(420 + Math.sin(i * 2.1) * 26 * age, 290 - 90 * age, 22 + 46 * age, 0, 7)
    c.fill()
  }
}

function body(c: SKRSContext2D, x: number, y: number, coat: string, skin: string, cap: string | null): void {
  c.fillStyle = coat
  c.beginPath()
  c.moveTo(x - 34, y + 110)
  c.quadraticCurveTo(x - 44, y - 6, x - 22, y - 16)
  c.lineTo(x + 22, y - 16)
  c.quadraticCurveTo(x + 44, y - 6, x + 34, y + 110)
  c.fill()
  c.fillStyle = skin
  c.fillRect(x - 8, y - 30, 16, 18)
  c.beginPath()
  c.ellipse(x, y - 48, 21, 25, 0, 0, 7)
  c.fill()
  if (cap) {
    c.fillStyle = cap
    c.beginPath()
    c.ellipse(x, y - 66, 25, 11, 0, 0, 7)
    c.fill()
    c.fillStyle = '#c9973f'
    c.fillRect(x - 22, y - 66, 44, 4)
  }
}

function arm(c: SKRSContext2D, x1: number, y1: number, x2: number, y2: number, coat: string): void {
  c.strokeStyle = coat
  c.lineWidth = 14
  c.lineCap = 'round'
  c.beginPath()
  c.moveTo(x1, y1)
  c.quadraticCurveTo((x1 + x2) / 2, Math.max(y1, y2) + 16, x2, y2)
  c.stroke()
}

function speaker(c: SKRSContext2D, x: number, y: number, t: number, m: Motion, speaking: boolean): void {
  const lips = m.lips(t)
  const sway = speaking ? 3 * Math.sin(t * 0.9) : 1.5 * Math.sin(t * 0.6)
  body(c, x + sway, y, '#3d4a63', SKIN[2], null)
  c.fillStyle = '#5a4632'
  c.beginPath()
  c.ellipse(x + sway, y - 62, 24, 17, 0, Math.PI, 0)
  c.fill()
  c.fillStyle = '#20242c'
  for (const e of [-8, 8]) {
    c.beginPath()
    c.arc(x + sway + e, y - 51, 2.4, 0, 7)
    c.fill()
  }
  c.fillStyle = '#7c2f2a'
  c.beginPath()
  c.ellipse(x + sway, y - 36, 7, 1.2 + 6 * lips, 0, 0, 7)
  c.fill()
  if (!speaking) return
  arm(c, x - 30, y + 10, x - 46 + 10 * Math.sin(t * 1.7), y + 30 - 26 * lips, '#3d4a63')
  c.fillStyle = '#4b3624'
  c.beginPath()
  c.moveTo(x - 58, y + 44)
  c.lineTo(x + 58, y + 44)
  c.lineTo(x + 46, y + 130)
  c.lineTo(x - 46, y + 130)
  c.fill()
  c.fillStyle = '#c9973f'
  c.fillRect(x - 60, y + 38, 120, 7)
  c.strokeStyle = '#bdbdb8'
  c.lineWidth = 3
  c.beginPath()
  c.moveTo(x + 30, y + 40)
  c.quadraticCurveTo(x + 30, y - 12, x + 14, y - 24)
  c.stroke()
}

function brass(c: SKRSContext2D, instrument: 'cornet' | 'horn' | 'trombone' | 'tuba', x: number, y: number, seat: number, t: number, m: Motion): void {
  const blow = m.blow(instrument, t)
  const playing = blow > 0
  const nod = m.nod(t)
  const py = y + 4 * nod
  const coat = '#1f2a44'
  body(c, x, py, coat, SKIN[seat % SKIN.length], '#1b2136')
  const { last } = m.around(instrument, t)
  c.save()
  c.translate(x + 4, py - 40)
  c.rotate((playing ? -0.12 - 0.34 * blow : 0.62) + 0.03 * Math.sin(t * 1.1 + seat))
  const gold = c.createLinearGradient(0, -30, 0, 30)
  gold.addColorStop(0, '#f6dd8c')
  gold.addColorStop(0.5, '#d9a441')
  gold.addColorStop(1, '#8a6420')
  c.strokeStyle = gold
  c.fillStyle = gold
  c.lineCap = 'round'
  if (instrument === 'tuba') {
    c.lineWidth = 16
    c.beginPath()
    c.arc(16, 44, 30, 0, 7)
    c.stroke()
    bell(c, 26, -8, -1.2, 44)
  } else if (instrument === 'horn') {
    c.lineWidth = 8
    c.beginPath()
    c.arc(26, 16, 22, 0, 7)
    c.stroke()
    bell(c, 44, 30, 0.6, 26)
  } else if (instrument === 'trombone') {
    const slide = 26 + (last ? (last.pitch * 7) % 50 : 0)
    c.lineWidth = 6
    c.beginPath()
    c.moveTo(0, 0)
    c.lineTo(60 + slide, 0)
    c.lineTo(60 + slide, 14)
    c.lineTo(-10, 14)
    c.stroke()
    bell(c, 52, -12, 0, 24)
  } else {
    c.lineWidth = 7
    c.beginPath()
    c.moveTo(0, 0)
    c.lineTo(60, 0)
    c.stroke()
    for (const v of [22, 31, 40]) c.fillRect(v, -14 + (playing && last && (last.pitch + v) % 2 ? 5 : 0), 5, 22)
    bell(c, 58, 0, 0, 20)
  }
  c.restore()
  arm(c, x + 26, py + 8, x + 30, py - 30 - 12 * blow, coat)
}

function bell(c: SKRSContext2D, x: number, y: number, turn: number, size: number): void {
  c.save()
  c.translate(x, y)
  c.rotate(turn)
  c.beginPath()
  c.moveTo(0, -3)
  c.quadraticCurveTo(size * 0.7, -4, size, -size * 0.8)
  c.lineTo(size, size * 0.8)
  c.quadraticCurveTo(size * 0.7, 4, 0, 3)
  c.fill()
  c.restore()
}

function drummer(c: SKRSContext2D, x: number, t: number, m: Motion): void {
  const kick = m.stick('kick', t)
  body(c, x, 590, '#1f2a44', SKIN[5], '#1b2136')
  // Bass drum with a beater, snare before the drummer, cymbal on a stand.
  c.fillStyle = '#7a1f24'
  c.beginPath()
  c.ellipse(x - 8, 690, 74, 74, 0, 0, 7)
  c.fill()
  c.fillStyle = kick < 0.25 ? '#fffaf0' : '#eadfc8'
  c.beginPath()
  c.ellipse(x - 8, 690, 62 + (kick < 0.2 ? 2 : 0), 62 + (kick < 0.2 ? 2 : 0), 0, 0, 7)
  c.fill()
  c.fillStyle = '#7a1f24'
  c.font = 'bold 22px "DejaVu Serif", serif'
  c.fillText('DEPOT', x - 48, 686)
  c.fillText('NIGHT', x - 46, 712)
  const cymbal = m.around('cymbal', t).last
  const swing = cymbal && t - cymbal.time < 1.6 ? 0.28 * Math.exp(-(t - cymbal.time) / 0.5) * Math.sin((t - cymbal.time) * 24) : 0
  c.strokeStyle = '#9a9a96'
  c.lineWidth = 4
  c.beginPath()
  c.moveTo(x + 92, 740)
  c.lineTo(x + 92, 560)
  c.stroke()
  c.save()
  c.translate(x + 92, 560)
  c.rotate(0.08 + swing)
  c.fillStyle = '#e0bf62'
  c.beginPath()
  c.ellipse(0, 0, 54, 9, 0, 0, 7)
  c.fill()
  c.restore()
  c.fillStyle = '#d8d4c8'
  c.beginPath()
  c.ellipse(x - 66, 628, 46, 14, 0, 0, 7)
  c.fill()
  c.fillStyle = '#5d2024'
  c.beginPath()
  c.moveTo(x - 112, 628)
  c.lineTo(x - 108, 664)
  c.quadraticCurveTo(x - 66, 684, x - 24, 664)
  c.lineTo(x - 20, 628)
  c.quadraticCurveTo(x - 66, 648, x - 112, 628)
  c.fill()
  const snare = m.stick('snare', t)
  const strikes = m.around('snare', t)
  const left = Math.round((strikes.next ?? strikes.last)?.time ?? 0 * 4) % 2 === 0
  for (const side of [-1, 1]) {
    const lift = side < 0 === left ? snare : Math.min(1, snare + 0.4)
    const hx = x + side * 30 - 8
    const hy = 606 - 42 * lift
    arm(c, x + side * 30, 596, hx, hy, '#1f2a44')
    c.strokeStyle = '#f2e3b8'
    c.lineWidth = 6
    c.beginPath()
    c.moveTo(hx, hy)
    c.lineTo(x - 66 + side * 14, 622 - 62 * lift)
    c.stroke()
  }
}

function bells(c: SKRSContext2D, x: number, t: number, m: Motion): void {
  const lift = m.stick('bells', t)
  body(c, x, 604, '#1f2a44', SKIN[1], '#1b2136')
  c.fillStyle = '#c8ccd4'
  for (let i = 0; i < 7; i++) c.fillRect(x - 62 + i * 18, 648 - i, 14, 26 - i * 2)
  c.strokeStyle = '#f2e3b8'
  c.lineWidth = 5
  c.beginPath()
  c.moveTo(x + 10, 610 - 30 * lift)
  c.lineTo(x - 18, 646 - 46 * lift)
  c.stroke()
  arm(c, x + 28, 610, x + 10, 610 - 30 * lift, '#1f2a44')
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

function market(c: SKRSContext2D): void {
  const sky = c.createLinearGradient(0, 0, 0, 900)
  sky.addColorStop(0, '#9fc3dd')
  sky.addColorStop(0.6, '#e7e2cf')
  sky.addColorStop(1, '#b8a98b')
  c.fillStyle = sky
  c.fillRect(-800, -600, 3200, 2200)
  for (let i = 0; i < 7; i++) {
    c.fillStyle = ['#c98a5b', '#d7b98e', '#a66b4f', '#cfc0a0'][i % 4]
    c.fillRect(i * 240 - 60, 260 - (i % 3) * 50, 220, 500)
    c.fillStyle = '#5d6f7d'
    for (let w = 0; w < 6; w++) c.fillRect(i * 240 - 30 + (w % 3) * 66, 320 + Math.floor(w / 3) * 110, 36, 60)
  }
  c.fillStyle = '#9d927c'
  c.fillRect(-800, 700, 3200, 800)
}

function stalls(c: SKRSContext2D, t: number): void {
  for (let i = 0; i < 5; i++) {
    const x = 180 + i * 300
    c.fillStyle = ['#c2553d', '#3d7ea6', '#6a8f3a'][i % 3]
    c.beginPath()
    c.moveTo(x - 110, 560)
    c.lineTo(x + 110, 560)
    c.lineTo(x + 130, 620)
    c.lineTo(x - 130, 620)
    c.fill()
    c.fillStyle = '#6d5334'
    c.fillRect(x - 110, 660, 220, 90)
    body(c, x + 40 * Math.sin(t * 0.8 + i), 640, '#5a5247', SKIN[i], null)
  }
}
