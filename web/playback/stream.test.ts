import { FrameStream } from './stream.ts'

/** What the made-up copy holds, how often it was opened, and the pictures that were given out. */
const copy = { frames: 200, rate: 25, broken: false, track: true, disposed: 0, runs: 0 }
const given: { frame: number; open: boolean }[] = []

function sample(frame: number) {
  const entry = { frame, open: true }
  given.push(entry)
  return {
    timestamp: frame / copy.rate,
    close: () => {
      if (!entry.open) throw new Error(`picture ${frame} was closed twice`)
      entry.open = false
    },
  }
}

jest.mock('mediabunny', () => ({
  ALL_FORMATS: [],
  UrlSource: class {},
  Input: class {
    getPrimaryVideoTrack = async () => {
      if (copy.broken) throw new Error('not a video')
      return copy.track ? {} : null
    }
    dispose = () => copy.disposed++
  },
  VideoSampleSink: class {
    getSample = async (t: number) => (t * copy.rate < copy.frames ? sample(Math.floor(t * copy.rate)) : null)
    async *samples(from: number) {
      copy.runs++
      for (let frame = Math.floor(from * copy.rate); frame < copy.frames; frame++) {
        await Promise.resolve()
        yield sample(frame)
      }
    }
  },
}))

/** Lets all that waits for its turn run. */
const settle = async () => {
  for (let i = 0; i < 60; i++) await Promise.resolve()
}
const openPictures = () => given.filter((g) => g.open).length

let changed: number
let stream: FrameStream
const frameOf = (s: { timestamp: number } | null) => (s ? Math.round(s.timestamp * copy.rate) : null)

beforeEach(() => {
  Object.assign(copy, { frames: 200, broken: false, track: true, disposed: 0, runs: 0 })
  given.length = 0
  changed = 0
  stream = new FrameStream('/copy.mp4', copy.rate, copy.frames, () => changed++)
})

describe('pictures of a light copy', () => {
  test('standing, the exact picture is fetched, told, and then there at once', async () => {
    expect(stream.still(42)).toBeNull()
    await settle()
    expect(changed).toBe(1)
    expect(frameOf(stream.still(42))).toBe(42)
    expect(changed).toBe(1)
  })

  test('dragged over many places, only what was wanted last has to be fetched, and no picture stays behind', async () => {
    for (let frame = 0; frame < 40; frame++) stream.still(frame)
    await settle()
    expect(frameOf(stream.still(39))).toBe(39)
    expect(given.length).toBeLessThan(5)
    expect(openPictures()).toBe(1)
  })

  test('playing, every picture comes in its turn, decoded a few ahead, and passed ones are given back', async () => {
    expect(stream.playing(10, 1)).toBeNull()
    await settle()
    for (let frame = 10; frame < 90; frame++) {
      expect(frameOf(stream.playing(frame, 1))).toBe(frame)
      expect(openPictures()).toBeLessThanOrEqual(10)
      await settle()
    }
    expect(copy.runs).toBe(1)
  })

  test('a late clock skips pictures without decoding anew, a jump begins anew where it leads', async () => {
    stream.playing(0, 1)
    await settle()
    stream.playing(6, 1)
    await settle()
    expect(frameOf(stream.playing(9, 1))).toBe(9)
    expect(copy.runs).toBe(1)
    expect(stream.playing(150, 1)).toBeNull()
    await settle()
    expect(frameOf(stream.playing(150, 1))).toBe(150)
    expect(copy.runs).toBe(2)
    // Back again as well.
    expect(stream.playing(20, 1)).toBeNull()
    await settle()
    expect(frameOf(stream.playing(20, 1))).toBe(20)
    expect(openPictures()).toBeLessThanOrEqual(10)
  })

  test('at double speed more pictures pass, but it is no jump', async () => {
    stream.playing(0, 2)
    await settle()
    for (let frame = 2; frame < 60; frame += 2) {
      stream.playing(frame, 2)
      await settle()
    }
    expect(frameOf(stream.playing(60, 2))).toBe(60)
    expect(copy.runs).toBe(1)
  })

  test('while the exact picture is not there, the newest before it serves', async () => {
    stream.playing(0, 1)
    await settle()
    const near = stream.nearest(1000)
    expect(near?.frame).toBeGreaterThanOrEqual(7)
    expect(frameOf(near?.sample ?? null)).toBe(near?.frame)
    expect(stream.nearest(-1)).toBeNull()
  })

  test('standing after playing stops decoding ahead', async () => {
    stream.playing(0, 1)
    await settle()
    stream.still(100)
    await settle()
    const before = given.length
    await settle()
    expect(given.length).toBe(before)
    expect(frameOf(stream.still(100))).toBe(100)
    expect(openPictures()).toBe(1)
  })

  test('closed, every picture is given back and the file is left, also when it is closed twice or while one is fetched', async () => {
    stream.playing(0, 1)
    await settle()
    stream.close()
    stream.close()
    await settle()
    expect(openPictures()).toBe(0)
    expect(copy.disposed).toBe(1)
    const other = new FrameStream('/copy.mp4', copy.rate, copy.frames, () => changed++)
    other.still(5)
    other.close()
    await settle()
    expect(openPictures()).toBe(0)
    expect(changed).toBe(0)
  })

  test.each([
    ['a broken copy', { broken: true }],
    ['a copy without pictures', { track: false }],
  ])('%s shows nothing and breaks nothing', async (_, how) => {
    Object.assign(copy, how)
    const other = new FrameStream('/copy.mp4', copy.rate, copy.frames, () => changed++)
    expect(other.still(3)).toBeNull()
    expect(other.playing(3, 1)).toBeNull()
    await settle()
    expect(other.playing(4, 1)).toBeNull()
    expect(changed).toBe(0)
    other.close()
  })

  test('at the end the last picture stays', async () => {
    stream.playing(195, 1)
    await settle()
    expect(frameOf(stream.playing(199, 1))).toBe(199)
    await settle()
    expect(stream.nearest(230)?.frame).toBe(199)
  })
})
