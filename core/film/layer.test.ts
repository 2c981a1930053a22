import type { Layer } from '../project/index.ts'
import { flicks } from '../time/index.ts'
import { layerAt, placeOf, stillPlaceAt, titleAt } from './layer.ts'

const title: Layer = {
  id: 't',
  kind: 'title',
  from: flicks(100),
  to: flicks(200),
  height: 0,
  place: { x: 0.25, y: 0.5, width: 0.5, height: 0.25 },
  text: 'Trams',
  fadeIn: flicks(20),
  fadeOut: flicks(40),
}
const style = { letters: 0.06, colour: '#ffffff', align: 'center' as const }
const FRAME = { width: 1920, height: 1080 }

test('a layer comes and goes with its fades, and stands at once without', () => {
  expect([100, 110, 150, 180, 200].map((t) => layerAt(title, flicks(t)).share)).toEqual([0, 0.5, 1, 0.5, 0])
  const { fadeIn: _, fadeOut: __, ...plain } = title
  expect([100, 199].map((t) => layerAt(plain, flicks(t)).share)).toEqual([1, 1])
})

test('what slides is all there, below its place at first', () => {
  const slides = { ...title, title: { ...style, slides: true as const } }
  expect([100, 110, 150].map((t) => layerAt(slides, flicks(t)))).toMatchObject([
    { share: 1, below: 1 },
    { share: 1, below: 0.5 },
    { share: 1, below: 0 },
  ])
  expect(titleAt(slides, flicks(110), FRAME, 270)).toEqual({ share: 1, left: 480, top: 540 + 135, clip: { x: 480, y: 540, width: 960, height: 270 } })
})

test('what rolls comes from below its place and has left it above at its end', () => {
  const rolls = { ...title, title: { ...style, rolls: true as const } }
  expect([100, 150, 200].map((t) => titleAt(rolls, flicks(t), FRAME, 1000).top)).toEqual([810, 175, -460])
})

test('places are whole pixels, and never nothing', () => {
  expect(placeOf({ x: 0, y: 0, width: 0, height: 1 }, { width: 33, height: 17 })).toEqual({ x: 0, y: 0, width: 1, height: 17 })
  expect(placeOf({ x: 1 / 3, y: 0.1, width: 1 / 3, height: 0.5 }, { width: 100, height: 100 })).toEqual({ x: 33, y: 10, width: 34, height: 50 })
})

test('a still lies whole within its place, in the middle of it, and moves gently to another one', () => {
  const logo: Layer = { id: 'l', kind: 'still', from: flicks(100), to: flicks(200), height: 0, place: { x: 0.5, y: 0.5, width: 0.5, height: 0.5 }, fileId: 'f' }
  // Twice as wide as high, in a place of 960 × 540.
  expect(stillPlaceAt(logo, flicks(150), FRAME, { width: 400, height: 200 })).toEqual({ share: 1, x: 960, y: 540 + 30, width: 960, height: 480 })
  const moving: Layer = { ...logo, placeTo: { x: 0, y: 0, width: 1, height: 1 }, fadeIn: flicks(20) }
  const at = (t: number) => stillPlaceAt(moving, flicks(t), FRAME, { width: 1920, height: 1080 })
  expect(at(100)).toMatchObject({ share: 0, x: 960, width: 960 })
  expect(at(150)).toMatchObject({ share: 1, x: 480, y: 270, width: 1440, height: 810 })
  expect(at(200)).toMatchObject({ x: 0, y: 0, width: 1920, height: 1080 })
  // It begins slowly.
  expect(at(110).width - 960).toBeLessThan(0.05 * 960)
})
