import { flicks } from '@pendolo/core/time'
import { newTitle, placed, placeName, TITLE_PLACES } from './titles.ts'

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
