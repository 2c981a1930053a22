import { AfterPicture } from './after-picture.ts'

let frames: (() => void)[] = []
const refresh = () => {
  const now = frames
  frames = []
  for (const act of now) act()
}

beforeEach(() => {
  jest.useFakeTimers()
  frames = []
  const window = new EventTarget()
  Object.assign(globalThis, { window, requestAnimationFrame: (act: () => void) => frames.push(act) })
})
afterEach(() => {
  jest.useRealTimers()
  Object.assign(globalThis, { window: undefined, requestAnimationFrame: undefined })
})

/** What was done, in order. */
function two(): { later: AfterPicture; done: string[] } {
  const [later, done] = [new AfterPicture(), [] as string[]]
  later.add(() => done.push('a'))
  later.add(() => done.push('b'))
  return { later, done }
}

test('it is done in order behind the second refresh of the page, once', () => {
  const { later, done } = two()
  refresh()
  jest.advanceTimersByTime(1)
  expect([later.waits, ...done]).toEqual([true])
  refresh()
  jest.advanceTimersByTime(1)
  expect([later.waits, ...done]).toEqual([false, 'a', 'b'])
  jest.advanceTimersByTime(1000)
  expect(done).toEqual(['a', 'b'])
})

test('what takes longer to be seen is waited for longer', () => {
  const done: string[] = []
  new AfterPicture(3).add(() => done.push('a'))
  const seen = [1, 2, 3].map(() => {
    refresh()
    jest.advanceTimersByTime(1)
    return done.length
  })
  expect(seen).toEqual([0, 0, 1])
})

test('a page that is not drawn does it after a moment', () => {
  const { done } = two()
  jest.advanceTimersByTime(150)
  expect(done).toEqual(['a', 'b'])
})

test.each(['keydown', 'pointerdown', 'pagehide'])('the next %s finds it done', (type) => {
  const { later, done } = two()
  window.dispatchEvent(new Event(type))
  expect(done).toEqual(['a', 'b'])
  later.add(() => done.push('c'))
  expect(done).toEqual(['a', 'b'])
  later.now()
  expect(done).toEqual(['a', 'b', 'c'])
})
