import type { DeskPassage } from '@pendolo/core/mix'
import { flicks, secondsToFlicks } from '@pendolo/core/time'
import { plainSounds } from './model.ts'
import type { PlayInput, ToDesk } from './types.ts'

jest.mock('./desk.worklet.ts?worker&url', () => ({ __esModule: true, default: '/desk.js' }), { virtual: true })

/** Buffers of a tenth of a second, as a file of so many seconds would give them from a time on. */
const LENGTH = 0.1
let fileSeconds = 60
let asked: number[] = []
let tracks: number[] = []

jest.mock('mediabunny', () => ({
  ALL_FORMATS: [],
  UrlSource: class {},
  Input: class {
    getAudioTracks = async () => Array.from({ length: 18 }, (_, number) => ({ number }))
    dispose = () => undefined
  },
  AudioBufferSink: class {
    constructor({ number }: { number: number }) {
      tracks.push(number)
    }
    async *buffers(from: number, to = fileSeconds) {
      asked.push(from)
      for (let t = Math.floor(from / LENGTH + 1e-9) * LENGTH; t < Math.min(to, fileSeconds); t += LENGTH) yield { buffer: { duration: LENGTH }, timestamp: t }
    }
  },
}))

interface Started {
  readonly at: number
  readonly offset: number
  stop: number | null
}
const started: Started[] = []
const ramps: [string, number, number][] = []
const clock = { now: 0 }
/** What was said to the desk, and which of its inputs are led into. */
const told: ToDesk[] = []
let led: number[] = []
let unreachable = false

class FakeNode {
  numberOfInputs: number
  port = { postMessage: (message: ToDesk) => told.push(message) }
  connect = (next: unknown) => next
  disconnect = () => undefined
  constructor(_: unknown, __: string, { numberOfInputs }: { numberOfInputs: number }) {
    this.numberOfInputs = numberOfInputs
    led = []
  }
}

class FakeContext {
  get currentTime() {
    return clock.now
  }
  destination = {}
  sampleRate = 48000
  audioWorklet = {
    addModule: async () => {
      if (unreachable) throw new Error('the server is away')
    },
  }
  createGain = () => ({
    gain: {
      value: 1,
      setValueAtTime: (value: number, at: number) => ramps.push(['set', value, at]),
      linearRampToValueAtTime: (value: number, at: number) => ramps.push(['ramp', value, at]),
    },
    connect: (next: unknown, _?: number, input?: number) => {
      if (input !== undefined) led.push(input)
      return next
    },
    disconnect() {},
  })
  createChannelSplitter = () => ({ connect: (next: unknown) => next })
  createBufferSource = () => {
    const one: Started = { at: Number.NaN, offset: 0, stop: null }
    return {
      buffer: null,
      playbackRate: { value: 1 },
      onended: null,
      connect: (next: unknown) => next,
      start: (at: number, offset = 0) => started.push(Object.assign(one, { at, offset })),
      stop: (at?: number) => {
        one.stop = at ?? clock.now
      },
    }
  }
}

const sound = (over: Partial<PlayInput> = {}): PlayInput => ({ clipId: 'c', url: '/c', map: { start: flicks(0), rate: 1 }, from: null, ...over })
const passage = (master: number, after: number, length: number, fadeIn = 0, fadeOut = 0): DeskPassage => ({ master, after, length, fadeIn, fadeOut })
const heard = (...inputs: PlayInput[]) => plainSounds(inputs.map((input) => ({ input, left: 1, right: 1 })))

async function desk(...inputs: PlayInput[]) {
  const { SoundDesk } = await import('./sound.ts')
  const made = new SoundDesk()
  made.set(heard(...inputs))
  await made.prepare(1)
  return made
}
/** Lets the audio clock pass, with all that waits for it. */
async function pass(seconds: number): Promise<void> {
  for (let t = 0; t < seconds - 1e-9; t += 0.05) {
    clock.now += 0.05
    await jest.advanceTimersByTimeAsync(50)
  }
}

beforeEach(() => {
  jest.useFakeTimers()
  Object.assign(globalThis, { AudioContext: FakeContext, AudioWorkletNode: FakeNode })
  told.length = 0
  started.length = 0
  ramps.length = 0
  asked = []
  tracks = []
  fileSeconds = 60
  clock.now = 5
})
afterEach(() => jest.useRealTimers())

describe('sounds on the audio clock', () => {
  test('a clip begins where the master does, each buffer exactly behind the one before', async () => {
    const made = await desk(sound({ map: { start: secondsToFlicks(-2), rate: 1 } }))
    const at = made.start([passage(10, 0, Number.POSITIVE_INFINITY)])
    await pass(1)
    expect(asked).toEqual([12])
    expect(started[0].at).toBeCloseTo(at, 6)
    for (let i = 1; i < started.length; i++) expect(started[i].at - started[i - 1].at).toBeCloseTo(LENGTH, 6)
    // Only what sounds soon is decoded.
    expect(Math.max(...started.map((s) => s.at))).toBeLessThan(clock.now + 1.2)
    made.stop()
    const count = started.length
    await pass(2)
    expect(started).toHaveLength(count)
  })

  test('passages of a film follow each other without hole: the first ends and the next begins at the join, faded across it', async () => {
    const made = await desk(sound())
    const at = made.start([passage(10, 0, 1, 0, 0.02), passage(30, 1, 1, 0.02, 0)])
    await pass(3)
    const join = at + 1
    const entry = started.findIndex((s) => s.offset > 0)
    const [first, second] = [started.slice(0, entry), started.slice(entry)]
    expect(asked[0]).toBe(10)
    expect(asked[1]).toBeCloseTo(29.99, 6)
    expect(first.at(-1)?.stop).toBeCloseTo(join + 0.01, 6)
    expect(second[0].at).toBeCloseTo(join - 0.01, 6)
    // Its first buffer begins before the passage does and is entered in its middle.
    expect(second[0].offset).toBeCloseTo(0.09, 6)
    const near = (list: [string, number, number][], value: number, time: number) => list.some(([, v, t]) => v === value && Math.abs(t - time) < 1e-6)
    // Each frame has what the fade has in its middle.
    expect(near(ramps, 0, join + 0.01 - 0.5 / 48000)).toBe(true)
    expect(near(ramps, 1, join + 0.01 - 0.5 / 48000)).toBe(true)
    expect(Math.max(...started.map((s) => s.at))).toBeLessThan(at + 2)
  })

  test('the desk is told what of the master is heard from when on, each time as if nothing had sounded before', async () => {
    const made = await desk(sound())
    const passages = [passage(10, 0, 1, 0, 0.02), passage(30, 1, 1, 0.02, 0)]
    const at = made.start(passages)
    expect(told.at(-1)).toEqual({ type: 'play', passages, at, speed: 1, fresh: true })
    await made.grain(7, 0.1)
    expect(told.at(-1)).toMatchObject({ type: 'play', passages: [{ master: 7 }], speed: 0, fresh: false })
  })

  test('what is not heard is not even decoded, and comes in at once when it is', async () => {
    const made = await desk()
    made.start([passage(0, 0, Number.POSITIVE_INFINITY)])
    await pass(1)
    expect(asked).toEqual([])
    made.set(heard(sound()))
    await pass(0.5)
    expect(asked).toHaveLength(1)
    // It is late, so it enters its sound where the clock is by now.
    expect(started[0].at + 0).toBeGreaterThan(5.9)
  })

  test('a moment is heard as soon as it is decoded, faded at both ends, and no longer than it lasts', async () => {
    const made = await desk(sound({ map: { start: secondsToFlicks(-2), rate: 1 } }), sound({ clipId: 'later', map: { start: secondsToFlicks(50), rate: 1 } }))
    await made.grain(10.05, 0.09)
    expect(asked).toEqual([expect.closeTo(12.05, 6)])
    expect(started.map((s) => [s.at, s.offset, s.stop])).toEqual([
      // Half the fade lies before it.
      [expect.closeTo(5.01, 6), expect.closeTo(0.04, 6), null],
      [expect.closeTo(5.07, 6), 0, expect.closeTo(5.12, 6)],
    ])
    expect(ramps[0]).toEqual(['set', 0, expect.closeTo(5.01, 4)])
    expect(ramps.at(-1)).toEqual(['ramp', 0, expect.closeTo(5.12, 4)])
  })

  test('of a recording each track is decoded once that has something that is heard; a strip changes without a break, another choice begins anew', async () => {
    const channel = (track: number, number = 0) => sound({ from: { track, channel: number } })
    const made = await desk(channel(3), channel(3, 7), channel(17))
    made.start([passage(4, 0, Number.POSITIVE_INFINITY)])
    await pass(0.3)
    expect(tracks).toEqual([3, 17])
    expect(asked).toEqual([4, 4])
    const strips = heard(channel(3), channel(3, 7), channel(17))
    made.set({ ...strips, nodes: strips.nodes.map((n) => ({ ...n, left: 0.5 })) })
    await pass(0.3)
    expect(tracks).toEqual([3, 17])
    const [last] = told.slice(-1)
    expect(last.type === 'set' && last.nodes.map((n) => [n.input, n.left])).toEqual([
      [0, 0.5],
      [1, 0.5],
      [2, 0.5],
    ])
    made.set(heard(channel(17)))
    await pass(0.3)
    expect(tracks).toEqual([3, 17, 17])
  })

  test('of more sounds than it has inputs the desk gets more, and each stays where its strip looks for it', async () => {
    const many = (count: number) => heard(...Array.from({ length: count }, (_, i) => sound({ clipId: `c${i}` })))
    const made = await desk()
    made.set(many(20))
    expect(led).toEqual(Array.from({ length: 20 }, (_, i) => i))
    made.set(many(70))
    expect(new Set(led).size).toBe(70)
    const last = told.findLast((m) => m.type === 'set')
    expect(last?.type === 'set' && last.nodes.map((n) => n.input)).toEqual(Array.from({ length: 70 }, (_, i) => i))
  })

  test('while the code of the desk cannot be fetched all is silent, and the next start tries again', async () => {
    unreachable = true
    const made = await desk(sound())
    made.start([passage(10, 0, Number.POSITIVE_INFINITY)])
    expect(told).toEqual([])
    unreachable = false
    await made.prepare(1)
    expect(told.map((m) => m.type)).toEqual(['set', 'play'])
  })
})
