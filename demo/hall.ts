import type { SKRSContext2D } from '@napi-rs/canvas'
import { seeded } from './band.ts'

export function hall(c: SKRSContext2D): void {
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

export function crowd(c: SKRSContext2D): void {
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

export function clock(c: SKRSContext2D, t: number): void {
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

export function steam(c: SKRSContext2D, since: number): void {
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
