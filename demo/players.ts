import type { SKRSContext2D } from '@napi-rs/canvas'
import type { Motion } from './motion.ts'

export const SKIN = ['#c99a78', '#8d5f45', '#e0b798', '#a87455', '#d3a585', '#7a4e38', '#c48f6c']

export function players(c: SKRSContext2D, t: number, m: Motion): void {
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

export function body(c: SKRSContext2D, x: number, y: number, coat: string, skin: string, cap: string | null): void {
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
