import type { SKRSContext2D } from '@napi-rs/canvas'
import { body, SKIN } from './players.ts'

export function market(c: SKRSContext2D): void {
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

export function stalls(c: SKRSContext2D, t: number): void {
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
