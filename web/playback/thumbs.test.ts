import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { Thumbnails, thumbTimes } from './thumbs.ts'
import type { FromThumbs, ToThumbs } from './types.ts'

const seconds = (s: number) => flicks(Math.round(s * FLICKS_PER_SECOND))
const clip = { tileUrl: '/a', map: { start: seconds(10), rate: 1 }, grid: { start: seconds(0.5), rate: { num: 25, den: 1 }, count: 500 }, pace: 2 }

function made() {
  const asked: ToThumbs[] = []
  const worker = { postMessage: (m: ToThumbs) => asked.push(m), onmessage: null as ((e: { data: FromThumbs }) => void) | null }
  let made = 0
  const thumbs = new Thumbnails(() => {
    made++
    return worker as unknown as Worker
  })
  const come = (key: string, picture: ImageBitmap | null) => worker.onmessage?.({ data: { key, picture } })
  return { thumbs, view: thumbs.view(), asked, come, workers: () => made }
}
const bitmap = (closed: () => void = () => undefined) => ({ width: 96, height: 54, close: closed }) as unknown as ImageBitmap

beforeEach(() => jest.useFakeTimers())
afterEach(() => jest.useRealTimers())

describe('small pictures', () => {
  test('are asked for at the time of the copy, told when they have come, and kept', () => {
    const { thumbs, view, asked, come } = made()
    let told = 0
    thumbs.subscribe(() => told++)
    expect(view.at(clip, seconds(14))).toBeNull()
    view.ask(false)
    const [wish] = asked[0].wishes
    expect(wish).toMatchObject({ url: '/a', seconds: 7 })
    const picture = bitmap()
    come(wish.key, picture)
    expect(told).toBe(0)
    jest.runAllTimers()
    expect([told, thumbs.revision()]).toEqual([1, 1])
    expect(view.at(clip, seconds(14))).toBe(picture)
    view.ask(false)
    expect(asked[1].wishes).toEqual([])
  })

  test('that could not be made are not asked for again', () => {
    const { view, asked, come } = made()
    view.at(clip, seconds(14))
    view.ask(false)
    come(asked[0].wishes[0].key, null)
    expect(view.at(clip, seconds(14))).toBeNull()
    view.ask(false)
    expect(asked[1].wishes).toEqual([])
  })

  test('are not made while the machine plays, and no worker is begun for nothing', () => {
    const { view, asked, workers } = made()
    view.at(clip, seconds(14))
    view.at({ ...clip, tileUrl: null }, seconds(15))
    view.ask(true)
    expect([asked.length, workers()]).toEqual([0, 0])
    // What was wished for then is wished for no more.
    view.at(clip, seconds(16))
    view.ask(false)
    expect(asked[0].wishes.map((w) => w.seconds)).toEqual([11])
  })

  test('that were looked at longest ago are let go of when there are too many', () => {
    const { view, asked, come } = made()
    const gone: number[] = []
    for (let n = 0; n < 900; n++) {
      view.at(clip, seconds(20 + n))
      // The first is looked at again and again.
      if (n > 0) view.at(clip, seconds(20))
      view.ask(false)
      const { wishes } = asked[asked.length - 1]
      if (wishes.length > 0)
        come(
          wishes[0].key,
          bitmap(() => gone.push(n)),
        )
    }
    expect(gone).toHaveLength(100)
    expect(gone[0]).toBe(1)
    expect(view.at(clip, seconds(20))).not.toBeNull()
  })

  test('that several views wish for are all made, until a view has gone', () => {
    const { thumbs, view, asked } = made()
    const other = thumbs.view()
    view.at(clip, seconds(14))
    view.ask(false)
    other.at(clip, seconds(16))
    other.ask(false)
    expect(asked.at(-1)?.wishes.map((w) => w.seconds)).toEqual([7, 11])
    view.close()
    expect(asked.at(-1)?.wishes.map((w) => w.seconds)).toEqual([11])
  })

  test('of a lane stand at steady instants, far enough apart', () => {
    const times = (from: number, to: number, least: number) => thumbTimes(from, to, least).map((t) => t / FLICKS_PER_SECOND)
    expect(times(0, 10, 1.7)).toEqual([0, 2, 4, 6, 8])
    expect(times(-1.2, 1.1, 0.3)).toEqual([-1, -0.5, 0, 0.5, 1])
    // Scrolled a little, those that stay in view stay the same.
    expect(times(3.1, 13.1, 1.7)).toEqual([4, 6, 8, 10, 12])
  })
})
