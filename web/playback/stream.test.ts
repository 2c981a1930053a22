import { FrameStream } from './stream.ts'

/** What the made-up copy holds, how often it was opened, and the pictures that were given out. */
const copy = { frames: 200, rate: 25, times: null as number[] | null, broken: false, track: true, disposed: 0, runs: 0 }
const given: { frame: number; open: boolean }[] = []

function sample(frame: number) {
  const entry = { frame, open: true }
  given.push(entry)
  return {
    timestamp: copy.times?.[frame] ?? frame / copy.rate,
    duration: copy.times ? (copy.times[frame + 1] ?? copy.times[frame] + 0.04) - copy.times[frame] : 1 / copy.rate,
    close: () => {
      if (!entry.open) throw new Error(`picture ${frame} was closed twice`)
      entry.open = false
    },
  }
}

/** The last picture whose time has come. */
function frameAt(t: number): number {
  if (copy.times) return copy.times.findLastIndex((time) => time <= t)
  return Math.min(copy.frames - 1, Math.floor(t * copy.rate))
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
    getSample = async (t: number) => (t < 0 ? null : sample(frameAt(t)))
    async *samples(from: number) {
      copy.runs++
      for (let frame = frameAt(from); frame < copy.frames; frame++) {
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
const at = (frame: number) => frame / copy.rate

beforeEach(() => {
  Object.assign(copy, { frames: 200, times: null, broken: false, track: true, disposed: 0, runs: 0 })
  given.length = 0
  changed = 0
  stream = new FrameStream('/copy.mp4', () => changed++)
})

describe('pictures of a light copy', () => {
  test('standing, the exact picture is fetched, told, and then there at once', async () => {
    expect(stream.still(at(42))).toBeNull()
    await settle()
    expect(changed).toBe(1)
    expect(frameOf(stream.still(at(42)))).toBe(42)
    expect(changed).toBe(1)
  })

  test('dragged over many places, only what was wanted last has to be fetched, and no picture stays behind', async () => {
    for (let frame = 0; frame < 40; frame++) stream.still(at(frame))
    await settle()
    expect(frameOf(stream.still(at(39)))).toBe(39)
    expect(given.length).toBeLessThan(5)
    expect(openPictures()).toBe(1)
  })

  test('playing, every picture comes in its turn, decoded a few ahead, and passed ones are given back', async () => {
    expect(stream.playing(at(10), 1)).toBeNull()
    await settle()
    for (let frame = 10; frame < 90; frame++) {
      expect(frameOf(stream.playing(at(frame), 1))).toBe(frame)
      expect(openPictures()).toBeLessThanOrEqual(10)
      await settle()
    }
    expect(copy.runs).toBe(1)
  })

  test('standing, what follows is decoded ahead, what is seen stays seen, and playing begins with it', async () => {
    stream.prime(at(42))
    stream.still(at(42))
    await settle()
    stream.prime(at(60))
    await settle()
    // Nothing is known of where it would begin.
    expect(copy.runs).toBe(0)
    stream.prime(at(42))
    stream.prime(at(42))
    expect(frameOf(stream.still(at(42)))).toBe(42)
    await settle()
    expect([copy.runs, changed, openPictures()]).toEqual([1, 1, 9])
    expect(frameOf(stream.still(at(42)))).toBe(42)
    for (let frame = 42; frame < 50; frame++) expect(frameOf(stream.playing(at(frame), 1))).toBe(frame)
    await settle()
    expect(frameOf(stream.playing(at(55), 1))).toBe(55)
    expect(copy.runs).toBe(1)
    // Elsewhere it is fetched as ever.
    stream.still(at(100))
    await settle()
    expect(frameOf(stream.still(at(100)))).toBe(100)
    expect(openPictures()).toBe(1)
  })

  test('a late clock skips pictures without decoding anew, a jump begins anew where it leads', async () => {
    stream.playing(at(0), 1)
    await settle()
    stream.playing(at(6), 1)
    await settle()
    expect(frameOf(stream.playing(at(9), 1))).toBe(9)
    expect(copy.runs).toBe(1)
    expect(stream.playing(at(150), 1)).toBeNull()
    await settle()
    expect(frameOf(stream.playing(at(150), 1))).toBe(150)
    expect(copy.runs).toBe(2)
    // Back again as well.
    expect(stream.playing(at(20), 1)).toBeNull()
    await settle()
    expect(frameOf(stream.playing(at(20), 1))).toBe(20)
    expect(openPictures()).toBeLessThanOrEqual(10)
  })

  test('at double speed more pictures pass, but it is no jump', async () => {
    stream.playing(at(0), 2)
    await settle()
    for (let frame = 2; frame < 60; frame += 2) {
      stream.playing(at(frame), 2)
      await settle()
    }
    expect(frameOf(stream.playing(at(60), 2))).toBe(60)
    expect(copy.runs).toBe(1)
  })

  test('while the exact picture is not there, the newest before it serves', async () => {
    stream.playing(at(0), 1)
    await settle()
    expect(frameOf(stream.nearest(at(1000)))).toBeGreaterThanOrEqual(7)
    expect(stream.nearest(at(-1))).toBeNull()
  })

  test('the picture that follows is there where both are wanted, with the share of the way to it', async () => {
    expect(stream.still(at(42.25), true)).toBeNull()
    await settle()
    expect(frameOf(stream.still(at(42.25), true))).toBe(42)
    const next = stream.following(at(42.25))
    expect([frameOf(next?.sample ?? null), next?.share]).toEqual([43, expect.closeTo(0.25, 6)])
    // One alone was enough for somebody else: the other is fetched when it is wanted.
    stream.still(at(10))
    await settle()
    expect([frameOf(stream.still(at(10))), stream.following(at(10))]).toEqual([10, null])
    expect(stream.still(at(10), true)).toBeNull()
    await settle()
    expect(frameOf(stream.following(at(10))?.sample ?? null)).toBe(11)
    expect(openPictures()).toBe(2)
    // Nothing follows the last one, and it is not asked for again and again.
    stream.still(at(199.5), true)
    await settle()
    const told = changed
    expect([frameOf(stream.still(at(199.5), true)), stream.following(at(199.5))]).toEqual([199, null])
    await settle()
    expect(changed).toBe(told)
    stream.playing(at(60), 1)
    await settle()
    stream.playing(at(60), 1)
    expect(stream.following(at(60.5))?.share).toBeCloseTo(0.5, 6)
  })

  test('standing after playing stops decoding ahead', async () => {
    stream.playing(at(0), 1)
    await settle()
    stream.still(at(100))
    await settle()
    const before = given.length
    await settle()
    expect(given.length).toBe(before)
    expect(frameOf(stream.still(at(100)))).toBe(100)
    expect(openPictures()).toBe(1)
  })

  test('closed, every picture is given back and the file is left, also when it is closed twice or while one is fetched', async () => {
    stream.playing(at(0), 1)
    await settle()
    stream.close()
    stream.close()
    await settle()
    expect(openPictures()).toBe(0)
    expect(copy.disposed).toBe(1)
    const other = new FrameStream('/copy.mp4', () => changed++)
    other.still(at(5))
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
    const other = new FrameStream('/copy.mp4', () => changed++)
    expect(other.still(at(3))).toBeNull()
    expect(other.playing(at(3), 1)).toBeNull()
    await settle()
    expect(other.playing(at(4), 1)).toBeNull()
    expect(changed).toBe(0)
    other.close()
  })

  test('at the end the last picture stays', async () => {
    stream.playing(at(195), 1)
    await settle()
    expect(frameOf(stream.playing(at(199), 1))).toBe(199)
    await settle()
    expect(frameOf(stream.nearest(at(230)))).toBe(199)
    expect(frameOf(stream.playing(at(205), 1))).toBe(199)
  })

  test('pictures that come as they like are each shown from their own time until the next', async () => {
    copy.times = [0, 0.033, 0.041, 2.5, 2.51, 2.6]
    copy.frames = copy.times.length
    const shown = async (t: number) => {
      if (!stream.still(t)) await settle()
      return stream.still(t)?.timestamp
    }
    for (const [t, want] of [
      [0, 0],
      [0.0329, 0],
      [0.033, 0.033],
      [0.04, 0.033],
      [0.041, 0.041],
      [2.4999, 0.041],
      [2.5, 2.5],
      [2.59, 2.51],
      [2.7, 2.6],
      [9, 2.6],
    ])
      expect([t, await shown(t)]).toEqual([t, want])
    const other = new FrameStream('/copy.mp4', () => changed++)
    other.playing(0, 1)
    await settle()
    const played: (number | undefined)[] = []
    for (const t of [0, 0.02, 0.04, 0.5, 1.2, 1.9, 2.505, 2.55, 2.65, 9]) {
      played.push(other.playing(t, 1)?.timestamp)
      await settle()
    }
    expect(played).toEqual([0, 0, 0.033, 0.041, 0.041, 0.041, 2.5, 2.51, 2.6, 2.6])
    expect(copy.runs).toBe(1)
  })
})
