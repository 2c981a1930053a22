import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import type { FromWorker, PictureHealth, PictureModel, ToWorker } from './types.ts'

/** Which frames of which copy are decoded already; what is missing arrives when the test says so. */
const copies = new Map<string, { ready: Set<number>; changed: () => void; closed: boolean }>()
/** Frames painted, in order; named so that the stand-in of the stream may use it. */
let mockPainted: number[] = []
/** Where they were painted, and which part of a picture of 16 × 9. */
let mockPlaces: number[][] = []
/** Tables that their colours went through. */
const mockMaps: (readonly number[])[] = []
const mockTables: unknown[] = []
/** Whether they are drawn in half the detail. */
let mockRough = false
/** From where copies were decoded ahead, s of theirs. */
let mockPrimed: [string, number][] = []
/** How long a picture takes that goes through one, ms. */
let mockCost = 0

const mockDraw =
  (frame: number) =>
  (_: unknown, ...places: number[]) => {
    mockPainted.push(frame)
    mockPlaces.push(places)
  }

jest.mock('./stream.ts', () => ({
  FrameStream: class {
    #copy: { ready: Set<number>; changed: () => void; closed: boolean }
    #url: string
    constructor(url: string, changed: () => void) {
      this.#url = url
      this.#copy = { ready: copies.get(url)?.ready ?? new Set(), changed, closed: false }
      copies.set(url, this.#copy)
    }
    #sample = (frame: number) => (this.#copy.ready.has(frame) ? { displayWidth: 16, displayHeight: 9, timestamp: frame / 25, draw: mockDraw(frame) } : null)
    playing = (time: number) => this.#sample(Math.floor(time * 25 + 1e-6))
    still = (time: number) => this.#sample(Math.floor(time * 25 + 1e-6))
    nearest = (time: number) => {
      const before = [...this.#copy.ready].filter((f) => f <= time * 25 + 1e-6).sort((a, b) => b - a)[0]
      return before === undefined ? null : this.#sample(before)
    }
    following = (time: number) => {
      const sample = this.#sample(Math.floor(time * 25 + 1e-6) + 1)
      return sample && { sample, share: (time * 25) % 1 }
    }
    prime = (time: number) => void mockPrimed.push([this.#url, time])
    close = () => {
      this.#copy.closed = true
    }
  },
}))

jest.mock('./picture.ts', () => ({
  withoutGraphics: () => false,
  drawRoughly: (on: boolean) => {
    mockRough = on
  },
  drawPicture: (ctx: unknown, picture: { draw: (...of: unknown[]) => void }, from: Record<string, number>, to: Record<string, number>, table: unknown) => {
    mockTables.push(table)
    if (table) mockPass(mockCost)
    picture.draw(ctx, from.x, from.y, from.width, from.height, to.x, to.y, to.width, to.height)
  },
  drawPlaced: (_: unknown, __: unknown, by: { map: readonly number[] }) => void mockMaps.push(by.map),
}))

jest.mock('@fontsource-variable/instrument-sans/files/instrument-sans-latin-wght-normal.woff2?url', () => 'latin', { virtual: true })
jest.mock('@fontsource-variable/instrument-sans/files/instrument-sans-latin-ext-wght-normal.woff2?url', () => 'more', { virtual: true })

let refresh: (() => void) | null = null
let say: (message: ToWorker) => void = () => undefined
let health: PictureHealth | null = null
let told = 0
let now = 0

const mockPass = (ms: number) => {
  now += ms
}

/** One refresh of the screen, if one was asked for. */
function frame(ms = 20): boolean {
  now += ms
  const act = refresh
  refresh = null
  act?.()
  return act !== null
}
/** Refreshes until nothing more is asked for; fails when it never rests. */
function rest(): void {
  for (let i = 0; i < 50; i++) if (!frame()) return
  throw new Error('it never rests')
}

const rate = { num: 25, den: 1 }
const seconds = (s: number) => flicks(Math.round(s * FLICKS_PER_SECOND))
const clip = (id: string, angleId: string, from: number, to: number): PictureModel['clips'][number] => ({
  clipId: id,
  angleId,
  map: { start: seconds(from), rate: 1 },
  pace: 1,
  grid: { start: flicks(0), rate, count: (to - from) * 25 },
  start: seconds(from),
  end: seconds(to),
  tileUrl: `/${id}/tile`,
  sharpUrl: `/${id}/sharp`,
})
const model = (over: Partial<PictureModel> = {}): PictureModel => ({
  angles: [
    { id: 'a', framing: 'fit' },
    { id: 'b', framing: 'fit' },
  ],
  exceptions: {},
  fades: { in: seconds(0), out: seconds(0) },
  layers: {},
  stills: {},
  clips: [clip('a1', 'a', 0, 20), clip('b1', 'b', 5, 30)],
  points: {
    cut: [
      { time: seconds(0), angleId: 'a' },
      { time: seconds(10), angleId: 'b' },
    ],
  },
  cutId: 'cut',
  runs: [],
  rate,
  standIn: 'next',
  ...over,
})
const written: string[] = []
/** What is laid over something is so with this share. */
const shares: number[] = []
const filled: unknown[][] = []
const nothing = () => undefined
const canvas = () =>
  ({
    width: 320,
    height: 270,
    getContext: () => ({
      fillRect: (...rect: number[]) => filled.push(rect),
      set globalAlpha(share: number) {
        if (share > 0 && share < 1) shares.push(Math.round(share * 100) / 100)
      },
      drawImage: (_: unknown, ...places: number[]) => {
        mockPainted.push(-1)
        mockPlaces.push(places)
      },
      save: nothing,
      restore: nothing,
      beginPath: nothing,
      rect: nothing,
      clip: nothing,
      translate: nothing,
      fillStyle: '',
      measureText: (text: string) => ({ width: 5 * text.length }),
      fillText: (text: string) => written.push(text),
      clearRect: nothing,
    }),
  }) as never
const stand = (s: number) => say({ type: 'clock', clock: { playing: false, along: 'master', time: seconds(s), wall: 0, speed: 0 } })
const play = (s: number) => say({ type: 'clock', clock: { playing: true, along: 'master', time: seconds(s), wall: now, speed: 1 } })
const decoded = (url: string, ...frames: number[]) => {
  for (const f of frames) copies.get(url)?.ready.add(f)
  copies.get(url)?.changed()
}

beforeEach(async () => {
  jest.resetModules()
  copies.clear()
  mockPainted = []
  mockPlaces = []
  mockPrimed = []
  refresh = null
  health = null
  told = 0
  now = 1000
  jest.spyOn(performance, 'now').mockImplementation(() => now)
  Object.defineProperty(performance, 'timeOrigin', { value: 0, configurable: true })
  Object.assign(globalThis, {
    requestAnimationFrame: (act: () => void) => {
      refresh = act
      return 1
    },
    OffscreenCanvas: class {
      getContext = () => (canvas() as unknown as { getContext: () => unknown }).getContext()
    },
    postMessage: (message: FromWorker) => {
      if (message.type === 'heavy') return
      health = message.health
      told++
    },
    self: {
      addEventListener: (_: string, listener: (event: { data: ToWorker }) => void) => {
        say = (data) => listener({ data })
      },
    },
  })
  await import('./pictures.worker.ts')
  say({ type: 'model', model: model() })
  // Tiles are told of before the surface that they lie on, as a page does.
  say({ type: 'tile', key: 'angle:a', source: { kind: 'angle', angleId: 'a' }, surface: 'stage', place: { x: 0, y: 180, width: 160, height: 90 } })
  say({ type: 'tile', key: 'angle:b', source: { kind: 'angle', angleId: 'b' }, surface: 'stage', place: { x: 160, y: 180, width: 160, height: 90 } })
  say({ type: 'tile', key: 'programme', source: { kind: 'programme' }, surface: 'stage', place: { x: 0, y: 0, width: 320, height: 180 } })
  say({ type: 'surface', key: 'stage', canvas: canvas() })
})
afterEach(() => jest.restoreAllMocks())

describe('the pictures', () => {
  test('standing, each canvas waits for exactly its frame, shows it when it is there, and then all rests', () => {
    stand(8)
    rest()
    expect(health?.shown['angle:a']).toBeUndefined()
    decoded('/a1/tile', 200)
    decoded('/b1/tile', 75)
    rest()
    expect(health?.shown['angle:a']).toEqual({ clipId: 'a1', frame: 200, wanted: 200 })
    // The second camera began five seconds later.
    expect(health?.shown['angle:b']).toEqual({ clipId: 'b1', frame: 75, wanted: 75 })
    expect(health?.programme).toMatchObject({ angleId: 'a', standIn: false })
    const before = told
    for (let i = 0; i < 20; i++) expect(frame()).toBe(false)
    expect(told).toBe(before)
  })

  test('where it stands for a moment, what follows is decoded ahead, of the light copies that are seen', () => {
    jest.useFakeTimers({ doNotFake: ['performance', 'requestAnimationFrame'] })
    stand(8)
    rest()
    stand(9)
    rest()
    expect(mockPrimed).toEqual([])
    jest.advanceTimersByTime(300)
    expect(mockPrimed.sort()).toEqual([
      ['/a1/tile', 9],
      ['/a1/tile', 9],
      ['/b1/tile', 4],
    ])
    mockPrimed = []
    play(9)
    frame()
    jest.advanceTimersByTime(300)
    expect(mockPrimed).toEqual([])
    jest.useRealTimers()
  })

  test.each([1, -1])('until the first sound leaves, pictures wait where it stood and do not go back before it; at speed %d', (speed) => {
    stand(8)
    rest()
    for (let f = 150; f < 250; f++) copies.get('/a1/tile')?.ready.add(f)
    const began = { time: seconds(8), wall: now }
    say({ type: 'clock', clock: { playing: true, along: 'master', time: seconds(8 - 0.2 * speed), wall: now, speed, began } })
    const wanted: (number | null)[] = []
    for (let i = 0; i < 15; i++) {
      frame(20)
      wanted.push(health?.shown['angle:a']?.wanted ?? null)
    }
    expect(new Set(wanted.slice(0, 6).filter((f) => f !== null))).toEqual(new Set([200]))
    expect(Math.sign((wanted.at(-1) ?? 200) - 200)).toBe(speed)
  })

  test('where the sound falters pictures wait for it and do not go back; begun elsewhere they are there at once', () => {
    stand(8)
    rest()
    for (let f = 150; f < 350; f++) copies.get('/a1/tile')?.ready.add(f)
    const wanted = () => health?.shown['angle:a']?.wanted ?? 0
    const tell = (at: number, began: { time: number; wall: number }) => {
      say({ type: 'clock', clock: { playing: true, along: 'master', time: seconds(at), wall: now, speed: 1, began } })
      for (let i = 0; i < 5; i++) frame(20)
      return wanted()
    }
    const began = { time: seconds(8), wall: now }
    const ahead = tell(9, began)
    expect(ahead).toBeGreaterThan(226)
    // It was computed no further than this.
    expect(tell(8.8, began)).toBe(ahead)
    expect(tell(8.95, began)).toBeGreaterThanOrEqual(ahead)
    expect(tell(9.5, began)).toBeGreaterThan(ahead + 8)
    expect(tell(9.3, { time: seconds(9.3), wall: now })).toBeLessThan(ahead + 12)
  })

  test('an angle that is corrected is seen sharp while it stands, those of the wall are not', () => {
    stand(8)
    rest()
    // The programme alone wants a sharper one.
    expect([...copies.keys()].sort()).toEqual(['/a1/sharp', '/a1/tile', '/b1/tile'])
    say({ type: 'tile', key: 'balance', source: { kind: 'angle', angleId: 'b', asCut: true }, surface: 'stage', place: null })
    rest()
    expect(copies.has('/b1/sharp')).toBe(true)
  })

  test('where the chosen angle has no picture its last one is held when that is wished, standing and playing', () => {
    say({ type: 'model', model: model({ points: { cut: [{ time: seconds(0), angleId: 'a' }] }, standIn: 'hold' }) })
    stand(25)
    rest()
    decoded('/a1/tile', 499)
    rest()
    expect(health?.programme).toMatchObject({ angleId: 'a', standIn: true })
    expect(health?.shown.programme).toEqual({ clipId: 'a1', frame: 499, wanted: 499 })
    play(26)
    for (let i = 0; i < 10; i++) frame()
    expect(health?.shown.programme).toEqual({ clipId: 'a1', frame: 499, wanted: 499 })
  })

  test('where the chosen angle has no picture another one stands in, or black when that is wished', () => {
    stand(25)
    rest()
    expect(health?.programme).toMatchObject({ angleId: 'b', standIn: false })
    say({ type: 'model', model: model({ points: [{ time: seconds(0), angleId: 'a' }] as never }) })
    rest()
    expect(health?.programme).toMatchObject({ angleId: 'b', standIn: true })
    say({ type: 'model', model: model({ points: [{ time: seconds(0), angleId: 'a' }] as never, standIn: 'black' }) })
    rest()
    expect(health?.programme).toMatchObject({ angleId: null, standIn: true })
    expect(health?.shown.programme).toEqual({ clipId: null, frame: null, wanted: null })
    stand(35)
    rest()
    expect(health?.shown['angle:b']).toEqual({ clipId: null, frame: null, wanted: null })
  })

  test('playing, each due picture of an angle counts once, and is late when it was not shown in its time', () => {
    stand(1)
    rest()
    for (let f = 0; f < 300; f += 2) copies.get('/a1/tile')?.ready.add(f)
    say({ type: 'reset' })
    play(1)
    // Two refreshes for each of 25 pictures a second.
    for (let i = 0; i < 100; i++) frame(20)
    expect(health?.due).toBeGreaterThan(44)
    expect(health?.due).toBeLessThan(52)
    expect(health?.late).toBeGreaterThan(20)
    expect(health?.late).toBeLessThan(27)
    // Each odd picture is missing: the one before it stays.
    const shown = health?.shown['angle:a']
    expect((shown?.frame ?? 1) % 2).toBe(0)
    expect((shown?.wanted ?? 0) - (shown?.frame ?? 0)).toBeLessThan(2)
    say({ type: 'reset' })
    stand(3)
    rest()
    expect(health).toMatchObject({ due: 0, late: 0 })
  })

  test('while the machine keeps up the programme plays from the sharper copy, else from the light one, and is tried again later', () => {
    const ready = (url: string, from: number, to: number, step = 1) => {
      for (let f = from; f < to; f += step) copies.get(url)?.ready.add(f)
    }
    // One picture of each camera is due twice in 40 ms, for so many seconds.
    const runs = (s: number) => {
      for (let i = 0; i < 50 * s; i++) frame(20)
    }
    say({ type: 'model', model: model({ points: { cut: [{ time: seconds(0), angleId: 'a' }] } }) })
    stand(6)
    rest()
    ready('/a1/tile', 100, 325)
    ready('/b1/tile', 0, 625)
    ready('/a1/sharp', 100, 500)
    play(6)
    frame()
    runs(2)
    // Two good seconds may be chance.
    expect(health?.programme.sharp).toBe(false)
    runs(2.5)
    expect(health?.programme.sharp).toBe(true)
    // From the second picture of the thirteenth second on every other one of camera a comes too late.
    ready('/a1/tile', 326, 500, 2)
    runs(4)
    expect(health?.programme.sharp).toBe(false)
    // The other camera alone keeps up; it is waited with all the same.
    say({ type: 'model', model: model({ points: { cut: [{ time: seconds(0), angleId: 'b' }] } }) })
    say({ type: 'drop', key: 'angle:a' })
    play(6)
    runs(15)
    expect(health?.programme.sharp).toBe(false)
    play(6)
    runs(18)
    ready('/b1/sharp', 0, 625)
    runs(1)
    expect(health?.programme.sharp).toBe(true)
  })

  test('where drawing is what keeps the machine from being in time, pictures play in half the detail; standing they are whole at once', () => {
    say({
      type: 'model',
      model: model({
        angles: [
          { id: 'a', framing: 'fit', look: { exposure: 1 } },
          { id: 'b', framing: 'fit' },
        ],
      }),
    })
    stand(1)
    rest()
    for (let f = 0; f < 500; f++) copies.get('/a1/tile')?.ready.add(f)
    mockCost = 14
    play(1)
    for (let i = 0; i < 60; i++) frame(20)
    expect(health?.late).toBeGreaterThan(5)
    expect(health?.programme.rough).toBe(true)
    expect(mockRough).toBe(true)
    mockCost = 0
    mockPainted = []
    stand(4)
    rest()
    expect(mockRough).toBe(false)
    expect(mockPainted).toContain(100)
    expect(health?.programme.rough).toBeUndefined()
  })

  test('a pressed key shows at once what is cut to a little later, until its cut takes over', () => {
    stand(8)
    rest()
    play(8)
    say({ type: 'hold', held: { angleId: 'b', until: seconds(8.5) } })
    for (let i = 0; i < 10; i++) frame(20)
    expect(health?.programme.angleId).toBe('b')
    // The cut never came (it was refused): the programme goes back.
    for (let i = 0; i < 30; i++) frame(20)
    expect(health?.programme.angleId).toBe('a')
    for (let i = 0; i < 100; i++) frame(20)
    expect(health?.programme.angleId).toBe('b')
  })

  test('a pressed key is seen by what stands on the wall already, and then sharper', () => {
    stand(8)
    rest()
    decoded('/a1/tile', 200)
    decoded('/b1/tile', 75)
    rest()
    mockPainted = []
    say({ type: 'hold', held: { angleId: 'b', until: null } })
    // At once, with no refresh of the screen between.
    expect(mockPainted).toEqual([-1])
    rest()
    expect(health?.programme.angleId).toBe('b')
    expect(health?.shown.programme).toEqual({ clipId: 'b1', frame: 75, wanted: 75 })
    expect(mockPainted).toEqual([-1, 75])
    // The cut has come, or was refused: what the project says counts again.
    say({ type: 'model', model: model() })
    rest()
    expect(health?.programme.angleId).toBe('a')
  })

  test('what stands on a canvas is painted again only when it would look different', () => {
    stand(8)
    rest()
    decoded('/a1/tile', 200)
    decoded('/b1/tile', 75)
    rest()
    play(8)
    frame(1)
    mockPainted = []
    say({ type: 'model', model: model() })
    frame(1)
    expect(mockPainted).toEqual([])
    const [a, b] = model().angles
    say({ type: 'model', model: model({ angles: [{ ...a, framing: 'fill' }, b] }) })
    frame(1)
    // The angle that is seen in another way, and the programme that shows it.
    expect(mockPainted).toEqual([200, 200])
  })

  test('a look is put on the pictures of its angle as soon as it is known, and left away for comparing', () => {
    stand(8)
    rest()
    decoded('/a1/tile', 200)
    decoded('/b1/tile', 75)
    rest()
    const [a, b] = model().angles
    play(8)
    frame(1)
    const painted = () => {
      mockTables.length = 0
      frame(1)
      return mockTables.map((t) => t !== null)
    }
    // Those that are seen as before are not painted again.
    say({ type: 'model', model: model({ angles: [a, { ...b, look: { saturation: 0 } }] }) })
    expect(painted()).toEqual([true])
    // Both angles and the programme, which shows the first.
    say({ type: 'looks', on: false })
    expect(painted()).toEqual([false, false, false])
    say({ type: 'looks', on: true })
    expect(painted()).toEqual([false, true, false])
  })

  test('a stretch is seen in another way than its angle, and a framing that moves is drawn anew at each of its steps', () => {
    const whole = { x: 0, y: 0, scale: 1, turn: 0 }
    const exceptions = { one: { id: 'one', angleId: 'b', from: seconds(9), to: seconds(9.96), cutout: whole, cutoutTo: { ...whole, scale: 2 } } }
    say({ type: 'model', model: model({ exceptions }) })
    const sizes = (at: number) => {
      mockMaps.length = 0
      stand(at)
      rest()
      decoded('/b1/tile', Math.round((at - 5) * 25))
      rest()
      // Pixels of the tile in one of the picture, whose width is 16.
      return mockMaps.map(([a]) => (a * 16) / 160)
    }
    expect(sizes(8)).toEqual([])
    expect(sizes(9.48)[0]).toBeCloseTo(Math.SQRT2, 6)
    expect(sizes(9.76)[0]).toBeGreaterThan(1.8)
    // Back at its end.
    expect(sizes(11)).toEqual([])
  })

  test('where one picture gives way to another both are drawn, each with its share; at the ends of the film black lies over all', () => {
    const points = {
      cut: [
        { time: seconds(0), angleId: 'a' },
        { time: seconds(10), angleId: 'b', transition: { kind: 'dissolve' as const, length: seconds(2) } },
      ],
    }
    const runs = [{ at: seconds(0), length: seconds(20), from: seconds(0), pieceId: 'whole', cutId: 'cut', fade: seconds(0) }]
    say({ type: 'model', model: model({ points, runs, fades: { in: seconds(0), out: seconds(4) } }) })
    const at = (time: number) => {
      stand(time)
      rest()
      decoded('/a1/tile', Math.round(time * 25))
      decoded('/b1/tile', Math.round((time - 5) * 25))
      rest()
      shares.length = 0
      mockPainted = []
      say({ type: 'looks', on: true })
      rest()
      return [[...mockPainted].sort((x, y) => x - y), [...shares]]
    }
    // The angles, and the programme of a alone.
    expect(at(8)).toEqual([[75, 200, 200], []])
    // A quarter of b over it: b is drawn by itself, then laid over.
    expect(at(9.48)).toEqual([[-1, 112, 112, 237, 237], [0.24]])
    // Behind the cut a goes.
    expect(at(10.48)).toEqual([[-1, 137, 137, 262, 262], [0.26]])
    expect(at(19)).toEqual([[350, 350, 475], [0.75]])
  })

  test('playing, the programme changes with the pictures of the film, not with each refresh of the screen', () => {
    const points = {
      cut: [
        { time: seconds(0), angleId: 'a' },
        { time: seconds(10), angleId: 'b', transition: { kind: 'dissolve' as const, length: seconds(2) } },
      ],
    }
    // It begins between two pictures of the master: those of the cameras change in the midst of the film's.
    const runs = [{ at: seconds(0), length: seconds(20), from: seconds(0.03), pieceId: 'whole', cutId: 'cut', fade: seconds(0) }]
    say({ type: 'model', model: model({ points, runs }) })
    stand(9)
    rest()
    for (const [url, from] of [
      ['/a1/tile', 220],
      ['/b1/tile', 100],
    ] as const)
      for (let f = from; f < from + 60; f++) copies.get(url)?.ready.add(f)
    play(9)
    shares.length = 0
    // 0.8 s, of each 40 ms five refreshes.
    for (let i = 0; i < 100; i++) frame(8)
    expect(shares.length).toBeGreaterThanOrEqual(19)
    expect(shares.length).toBeLessThanOrEqual(21)
    expect(new Set(shares).size).toBe(shares.length)
  })

  test('pictures that run slower give way to each other, by how much of their time is gone, where that is wished', () => {
    const slow = (blends: boolean) => ({
      e: { id: 'e', angleId: 'a', from: seconds(4), to: seconds(8), pace: { start: 0.5, end: 0.5, ...(blends && { blends }) } },
    })
    const at = (time: number, blends: boolean) => {
      say({ type: 'model', model: model({ exceptions: slow(blends) }) })
      stand(time)
      rest()
      decoded('/a1/tile', 112, 113)
      decoded('/a1/sharp', 112, 113)
      mockPainted = []
      shares.length = 0
      say({ type: 'looks', on: true })
      rest()
      return [[...new Set(mockPainted.filter((f) => f >= 0))], [...new Set(shares)]]
    }
    // 5 s is the picture of 4.5 s, which falls into the middle of number 112.
    expect(at(5, true)).toEqual([[112, 113], [0.5]])
    expect(at(5, false)).toEqual([[112], []])
  })

  test('a range that was made for playing is seen while it plays, and nothing else: with black over it, but not while somebody cuts', () => {
    say({
      type: 'model',
      model: model({
        fades: { in: seconds(4), out: seconds(0) },
        runs: [{ at: seconds(0), length: seconds(30), from: seconds(0), pieceId: 'p', cutId: 'cut', fade: seconds(0) }],
      }),
    })
    say({ type: 'ready', ranges: [{ cutId: 'cut', from: seconds(2), to: seconds(4), url: '/made' }] })
    const programme = () => {
      for (let i = 0; i < 8; i++) frame(20)
      return health?.programme.prepared ?? false
    }
    stand(2)
    rest()
    expect(programme()).toBe(false)
    play(2)
    expect(programme()).toBe(false)
    decoded('/made', ...Array.from({ length: 50 }, (_, i) => i))
    shares.length = 0
    expect(programme()).toBe(true)
    expect(shares.every((s) => s > 0.3 && s < 0.5)).toBe(true)
    expect(shares.length).toBeGreaterThan(0)
    expect(health?.shown.programme.clipId).toBe('a1')
    say({ type: 'hold', held: { angleId: 'a', until: seconds(3) } })
    expect(programme()).toBe(false)
    play(3.7)
    expect(programme()).toBe(true)
    for (let i = 0; i < 10; i++) frame(20)
    expect(programme()).toBe(false)
    say({ type: 'ready', ranges: [] })
    play(2)
    expect(programme()).toBe(false)
  })

  test('what takes longer to draw than there is time is told when it is over', () => {
    const heavy: unknown[] = []
    const { postMessage } = globalThis
    Object.assign(globalThis, {
      postMessage: (message: FromWorker) => (message.type === 'heavy' ? heavy.push(message.range) : postMessage(message)),
    })
    say({ type: 'model', model: model({ angles: [{ id: 'a', framing: 'fit', look: { exposure: 1 } }] }) })
    stand(2)
    rest()
    decoded('/a1/tile', ...Array.from({ length: 500 }, (_, i) => i))
    mockCost = 15
    play(2)
    for (let i = 0; i < 100; i++) frame(10)
    mockCost = 0
    stand(6)
    rest()
    expect(heavy.length).toBeGreaterThan(0)
    expect(heavy[0]).toMatchObject({ cutId: 'cut' })
  })

  test('a title is drawn over the programme while it lasts, over black too, and again at each step of its coming', () => {
    const layer = { kind: 'title' as const, height: 0, place: { x: 0, y: 0.5, width: 1, height: 0.25 }, text: 'Depot Night' }
    const layers = {
      cut: [
        { ...layer, id: 't', from: seconds(8), to: seconds(9), fadeIn: seconds(0.4) },
        { ...layer, id: 'late', from: seconds(40), to: seconds(41) },
      ],
    }
    say({ type: 'model', model: model({ layers }) })
    const at = (time: number) => {
      mockPlaces = []
      shares.length = 0
      stand(time)
      rest()
      decoded('/a1/tile', Math.round(time * 25))
      rest()
      // The drawing has one place and no size of its own.
      return [mockPlaces.filter((p) => p.length === 2), [...shares]]
    }
    written.length = 0
    expect(at(7)[0]).toEqual([])
    expect(at(8.2)).toEqual([[[0, 90]], [0.5]])
    expect(at(8.8)).toEqual([[[0, 90]], []])
    // It was drawn once.
    expect(written).toEqual(['Depot Night'])
    expect(at(9)[0]).toEqual([])
    // Nobody has a picture any more: it stands over black.
    expect(at(40.5)[0]).toEqual([[0, 90]])
  })

  test('an inset shows its angle small over the programme while it has a picture, filling its place', () => {
    const inset = { id: 'i', kind: 'inset' as const, angleId: 'b', height: 0, place: { x: 0.5, y: 0, width: 0.5, height: 1 }, from: seconds(3), to: seconds(9) }
    say({ type: 'model', model: model({ layers: { cut: [inset] } }) })
    const at = (time: number) => {
      stand(time)
      rest()
      decoded('/a1/tile', Math.round(time * 25))
      decoded('/b1/tile', Math.round((time - 5) * 25))
      rest()
      mockPainted = []
      mockPlaces = []
      say({ type: 'looks', on: true })
      rest()
      return { painted: [...mockPainted], places: mockPlaces }
    }
    // Before it has a picture there is none.
    expect(at(4).painted).toEqual([100, 100])
    const { painted, places } = at(8)
    expect(painted.filter((f) => f === 75)).toHaveLength(2)
    // A picture of 16 × 9 fills a place of 160 × 180: what reaches beyond is left away.
    expect(places).toContainEqual([4, 0, 8, 9, 0, 0, 160, 180])
    expect(places).toContainEqual([160, 0])
    expect(at(9).painted.filter((f) => f === 75 + 25)).toHaveLength(1)
  })

  test('each picture lies in its own place of the surface, and what would reach into a neighbour is left away', () => {
    stand(8)
    rest()
    mockPlaces = []
    decoded('/a1/tile', 200)
    rest()
    // The programme over all of its width, the angle below it.
    expect(mockPlaces).toEqual([
      [0, 0, 16, 9, 0, 0, 320, 180],
      [0, 0, 16, 9, 0, 180, 160, 90],
    ])
    mockPlaces = []
    decoded('/b1/tile', 75)
    rest()
    mockPlaces = []
    say({ type: 'place', key: 'angle:b', place: { x: 160, y: 180, width: 80, height: 90 } })
    const [a, b] = model().angles
    say({ type: 'model', model: model({ angles: [a, { ...b, framing: 'fill' }] }) })
    rest()
    expect(mockPlaces).toContainEqual([4, 0, 8, 9, 160, 180, 80, 90])
  })

  test('when a tile is moved or taken away the surface is emptied and all that lies on it is painted again, in one go', () => {
    stand(8)
    rest()
    decoded('/a1/tile', 200)
    decoded('/b1/tile', 75)
    rest()
    mockPainted = []
    filled.length = 0
    say({ type: 'place', key: 'angle:a', place: { x: 0, y: 180, width: 150, height: 90 } })
    say({ type: 'place', key: 'angle:b', place: { x: 150, y: 180, width: 170, height: 90 } })
    frame()
    expect(filled.filter((rect) => rect.join() === '0,0,320,270')).toHaveLength(1)
    expect([...mockPainted].sort()).toEqual([200, 200, 75].sort())
    say({ type: 'drop', key: 'angle:b' })
    filled.length = 0
    mockPainted = []
    frame()
    expect(filled[0]).toEqual([0, 0, 320, 270])
    expect(mockPainted).toEqual([200, 200])
    say({ type: 'size', key: 'stage', width: 640, height: 540 })
    filled.length = 0
    frame()
    expect(filled[0]).toEqual([0, 0, 640, 540])
    // Nothing more is painted where the surface is gone.
    say({ type: 'dropSurface', key: 'stage' })
    say({ type: 'place', key: 'angle:a', place: { x: 0, y: 0, width: 150, height: 90 } })
    mockPainted = []
    rest()
    expect(mockPainted).toEqual([])
  })

  test('along the film a card shows its words once, black where it has none', () => {
    const piece = { pieceId: 'p', cutId: 'cut', fade: flicks(0), length: seconds(2), from: null }
    const runs = [
      { ...piece, at: flicks(0), text: 'Depot Night\nfirst half' },
      { ...piece, at: seconds(2) },
      { ...piece, at: seconds(4), from: seconds(8) },
    ]
    say({ type: 'model', model: model({ runs }) })
    written.length = 0
    for (const [at, words] of [
      [1, ['Depot Night', 'first half']],
      [1.5, ['Depot Night', 'first half']],
      [3, ['Depot Night', 'first half']],
      [4.5, ['Depot Night', 'first half']],
      [0.5, ['Depot Night', 'first half', 'Depot Night', 'first half']],
    ] as [number, string[]][]) {
      say({ type: 'clock', clock: { playing: false, along: 'film', time: seconds(at), wall: 0, speed: 0 } })
      rest()
      decoded('/a1/tile', 212)
      decoded('/a1/sharp', 212)
      rest()
      expect(written).toEqual(words)
      expect(health?.shown.programme?.clipId ?? null).toBe(at === 4.5 ? 'a1' : null)
    }
  })

  test('a clip by itself is looked at with an offset of its own', () => {
    say({ type: 'surface', key: 'own', canvas: canvas() })
    say({ type: 'tile', key: 'compare', source: { kind: 'clip', clipId: 'b1', offset: seconds(0.4) }, surface: 'own', place: null })
    stand(6)
    rest()
    decoded('/b1/tile', 35)
    rest()
    expect(health?.shown.compare).toEqual({ clipId: 'b1', frame: 35, wanted: 35 })
    say({ type: 'source', key: 'compare', source: { kind: 'clip', clipId: 'nobody', offset: 0 } })
    rest()
    expect(health?.shown.compare).toEqual({ clipId: null, frame: null, wanted: null })
    say({ type: 'drop', key: 'compare' })
    rest()
    expect(health?.shown).not.toHaveProperty('compare')
  })

  test('copies that the project no longer has are closed, and those long unused while it plays', () => {
    stand(6)
    rest()
    expect(copies.get('/a1/tile')?.closed).toBe(false)
    say({ type: 'model', model: model({ clips: [clip('b1', 'b', 5, 30)] }) })
    rest()
    expect(copies.get('/a1/tile')?.closed).toBe(true)
    expect(copies.get('/b1/tile')?.closed).toBe(false)
    play(31)
    for (let i = 0; i < 300; i++) frame(20)
    expect(copies.get('/b1/tile')?.closed).toBe(true)
  })
})
