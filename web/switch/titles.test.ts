import type { ProjectState } from '@pendolo/api'
import { emptyProject, STILL_PLACE } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { nameSeen } from './name-seen.ts'
import {
  CORNERS,
  cornersOf,
  grown,
  INSET_PLACES,
  nameOfPlace,
  newInset,
  newStill,
  newTitle,
  placed,
  placeName,
  resized,
  STILL_PLACES,
  TITLE_PLACES,
} from './titles.ts'

const range = { from: flicks(1000), to: flicks(5000) }

test('a new title lies over all that is there, and comes and goes within its range', () => {
  const first = newTitle('a', range, [])
  expect(first).toMatchObject({ kind: 'title', from: 1000, to: 5000, height: 0, fadeIn: 1000, fadeOut: 1000 })
  expect(newTitle('b', range, [{ ...first, height: 7 }]).height).toBe(8)
})

test('each usual place is known again; only names roll', () => {
  for (const { name } of TITLE_PLACES) {
    const moved = placed(newTitle('a', range, []), name)
    expect(placeName(moved)).toBe(name)
    expect(moved.title?.rolls === true).toBe(name === 'rolling names')
    expect(placeName(placed(moved, 'middle'))).toBe('middle')
  }
  const elsewhere = { ...newTitle('a', range, []), place: { x: 0.1, y: 0.1, width: 0.2, height: 0.2 } }
  expect(placeName(elsewhere)).toBeNull()
  expect(placed(elsewhere, 'nowhere')).toEqual(elsewhere)
})

test('an inset begins in a corner and is known there; its corners have names', () => {
  const inset = newInset('i', 'a', range, [newTitle('t', range, [])])
  expect(inset).toMatchObject({ kind: 'inset', angleId: 'a', height: 1 })
  expect(nameOfPlace(inset, INSET_PLACES)).toBe(INSET_PLACES[0].name)
  expect(nameOfPlace({ ...inset, place: { ...inset.place, x: 0.5 } }, INSET_PLACES)).toBeNull()
  expect(CORNERS.map(cornersOf)).toEqual(CORNERS.map((c) => c.name))
})

test('an inset of another size keeps its shape, stays at the edges it lies at, and within the frame', () => {
  const corner = { x: 0.67, y: 0.66, width: 0.29, height: 0.29 }
  const larger = resized(corner, 0.58)
  expect(larger).toEqual({ x: expect.closeTo(0.38, 9), y: expect.closeTo(0.37, 9), width: expect.closeTo(0.58, 9), height: 0.58 })
  expect(resized({ x: 0.04, y: 0.05, width: 0.29, height: 0.29 }, 0.1)).toMatchObject({ x: 0.04, y: 0.05 })
  expect(resized(corner, 1)).toEqual({ x: 0, y: 0, width: 1, height: 1 })
})

test('what a layer shows is named, and said where it has no picture', () => {
  const doc = emptyProject('cut')
  doc.angles = [{ id: 'a', name: 'Gantry', hue: 0, framing: 'fit' } as (typeof doc.angles)[number]]
  const facts = { durationSeconds: 10, video: { rate: { num: 25, den: 1 }, startSeconds: 0, frames: 250 } }
  for (const [id, start] of [
    ['one', 0],
    ['two', 10],
  ] as const) {
    doc.clips[id] = { id, fileId: 'f', angleId: 'a', state: 'in' }
    doc.placements[id] = { ...STILL_PLACE, start: flicks(start * FLICKS_PER_SECOND), locked: false }
  }
  const project = { doc, files: [{ id: 'f', facts }] } as unknown as ProjectState
  const seen = (from: number, to: number) => nameSeen(project, { angleId: 'a', from: flicks(from * FLICKS_PER_SECOND), to: flicks(to * FLICKS_PER_SECOND) })
  expect(seen(2, 18)).toBe('Gantry')
  expect(seen(15, 25)).toContain('some of it')
  expect(seen(21, 25)).toContain('no picture here')
})

test('a still begins as a logo in a corner; what grows does so around its middle', () => {
  const still = newStill('s', 'f', range, [newTitle('t', range, [])])
  expect(still).toMatchObject({ kind: 'still', fileId: 'f', height: 1 })
  expect(STILL_PLACES.map(({ place }) => nameOfPlace({ ...still, place }, STILL_PLACES))).toEqual(STILL_PLACES.map((p) => p.name))
  expect(nameOfPlace({ ...still, place: grown(still.place, 2) }, STILL_PLACES)).toBeNull()
  const { x, y, width, height } = grown({ x: 0.2, y: 0.4, width: 0.2, height: 0.1 }, 1.5)
  expect([x + width / 2, y + height / 2, width, height].map((v) => Math.round(1e6 * v) / 1e6)).toEqual([0.3, 0.45, 0.3, 0.15])
})
