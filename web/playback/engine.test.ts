import type { DeskPassage } from '@pendolo/core/mix'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import type { FromWorker, PlayModel, ToWorker } from './types.ts'

/** The pictures' worker and the sound desk of the engine under test. */
const told: ToWorker[] = []
let answer: (message: FromWorker) => void = () => undefined
const desk = {
  currentTime: 0,
  started: [] as number[],
  passages: [] as DeskPassage[],
  stopped: 0,
  prepared: 0,
  heard: null as PlayModel['sounds'] | null,
  grains: [] as number[],
  stamp: {} as AudioTimestamp,
  latency: 0,
}

jest.mock('./sound.ts', () => ({
  SOUND_RATE: 48000,
  SoundDesk: class {
    context = {
      get currentTime() {
        return desk.currentTime
      },
      baseLatency: 0,
      resume: async () => undefined,
      getOutputTimestamp: () => desk.stamp,
    }
    clicks = { set() {}, given: 0 }
    set = (sounds: PlayModel['sounds']) => {
      desk.heard = sounds
    }
    get latency() {
      return desk.latency
    }
    prepare = async (speed: number) => {
      desk.prepared = speed
    }
    start = (passages: DeskPassage[]) => {
      desk.started.push(passages[0]?.master)
      desk.passages = passages
      return desk.currentTime + 0.08
    }
    stop = () => desk.stopped++
    bypass = () => undefined
    grain = async (master: number) => void desk.grains.push(master)
    levels = () => ({})
  },
}))

const seconds = (s: number) => flicks(Math.round(s * FLICKS_PER_SECOND))
const span = (start: number, end: number) => ({ start: seconds(start), end: seconds(end) })
const model = (end = 60, event = span(0, end)): PlayModel =>
  ({ angles: [], clips: [], sounds: [], points: {}, cutId: 'cut', runs: [], standIn: 'next', event, film: span(0, end) }) as unknown as PlayModel

async function makeEngine(end?: number, event?: PlayModel['event']) {
  const { Engine } = await import('./engine.ts')
  const engine = new Engine()
  engine.load(model(end, event))
  return engine
}

/** Lets real time and the audio clock pass together. */
function pass(s: number): void {
  for (let t = 0; t < s - 1e-9; t += 0.05) {
    desk.currentTime += 0.05
    jest.advanceTimersByTime(50)
  }
}
const clocks = () => told.filter((m) => m.type === 'clock').map((m) => m.clock)

beforeEach(() => {
  jest.useFakeTimers()
  Object.assign(globalThis, {
    Worker: class {
      set onmessage(handler: (event: { data: FromWorker }) => void) {
        answer = (data) => handler({ data })
      }
      postMessage = (message: ToWorker) => told.push(message)
    },
  })
  told.length = 0
  Object.assign(desk, { currentTime: 5, started: [], stopped: 0, heard: null, grains: [], stamp: {}, latency: 0 })
})
afterEach(() => jest.useRealTimers())

describe('the engine', () => {
  test('time follows the sound clock, and stands where it was stopped', async () => {
    const engine = await makeEngine()
    engine.seek(seconds(12))
    await engine.play()
    expect(desk.started).toEqual([12])
    expect(engine.now()).toBe(seconds(12))
    pass(2)
    // The sound began 80 ms after the press.
    expect(engine.now() / FLICKS_PER_SECOND).toBeCloseTo(13.92, 3)
    engine.stop()
    const at = engine.now()
    pass(3)
    expect(engine.now()).toBe(at)
    expect(engine.getState()).toMatchObject({ playing: false, time: at, speed: 1 })
  })

  test('where repairs look ahead the clock is that of what is heard, while it plays too', async () => {
    const engine = await makeEngine()
    engine.seek(seconds(12))
    await engine.play()
    pass(1)
    const before = engine.now()
    desk.latency = 0.05
    expect((before - engine.now()) / FLICKS_PER_SECOND).toBeCloseTo(0.05, 6)
  })

  test('a playhead that is dragged is heard: a moment where it is, the next one where it has got to, none while it stands or plays', async () => {
    const engine = await makeEngine()
    engine.scrub(seconds(12))
    await jest.advanceTimersByTimeAsync(10)
    for (const at of [13, 14, 15]) engine.scrub(seconds(at))
    await jest.advanceTimersByTimeAsync(40)
    expect(desk.grains).toEqual([12])
    await jest.advanceTimersByTimeAsync(30)
    expect(desk.grains).toEqual([12, 15])
    await jest.advanceTimersByTimeAsync(1000)
    expect(desk.grains).toEqual([12, 15])
    engine.stepFrames(1, { num: 25, den: 1 })
    await jest.advanceTimersByTimeAsync(1000)
    expect(desk.grains).toEqual([12, 15, 15.04])
    await engine.play()
    engine.scrub(seconds(20))
    await jest.advanceTimersByTimeAsync(1000)
    expect(desk.grains).toHaveLength(3)
    engine.stop()
  })

  test('a sound clock that halts halts the pictures with it', async () => {
    const engine = await makeEngine()
    await engine.play()
    pass(1)
    const at = engine.now()
    jest.advanceTimersByTime(2000)
    expect(engine.now()).toBe(at)
    expect(clocks().at(-1)?.time).toBeCloseTo(at, -1)
  })

  test('a browser that does not know yet when its sound is heard does not set the pictures off', async () => {
    const engine = await makeEngine()
    engine.seek(seconds(12))
    jest.advanceTimersByTime(9000)
    desk.stamp = { contextTime: 5.07, performanceTime: 0 }
    await engine.play()
    expect(clocks().at(-1)).toMatchObject({ playing: true, began: { time: seconds(12) } })
    expect(clocks().at(-1)?.time).toBeLessThan(seconds(12))
    expect(engine.now()).toBe(seconds(12))
  })

  test('where the sound falters the clock does not run ahead of what was computed', async () => {
    const engine = await makeEngine()
    await engine.play()
    pass(1)
    // What was given out last was told long ago, as the browser does while its sound has no processor.
    desk.stamp = { contextTime: 6, performanceTime: performance.now() }
    jest.advanceTimersByTime(3000)
    // Begun at 5.08 of the sound's clock, which stands at 6.
    expect(engine.now() / FLICKS_PER_SECOND).toBeCloseTo(6 + 0.25 - 5.08, 2)
  })

  test('places outside the master are its ends; playing from the end begins at the beginning', async () => {
    const engine = await makeEngine(60)
    engine.seek(seconds(-5))
    expect(engine.now()).toBe(0)
    engine.seek(seconds(500))
    expect(engine.now()).toBe(seconds(60))
    await engine.play()
    expect(desk.started).toEqual([0])
  })

  test('what was recorded before and after the master can be gone to; playing stops where the film ends, and goes on from there', async () => {
    const engine = await makeEngine(10, span(-4, 20))
    engine.seek(seconds(-9))
    expect(engine.now()).toBe(seconds(-4))
    engine.seek(seconds(8))
    await engine.play()
    pass(4)
    expect(engine.getState()).toMatchObject({ playing: false, time: seconds(10) })
    await engine.play()
    pass(3)
    expect(engine.getState().playing).toBe(true)
    expect(engine.now() / FLICKS_PER_SECOND).toBeGreaterThan(12)
    pass(9)
    expect(engine.getState()).toMatchObject({ playing: false, time: seconds(20) })
    await engine.play()
    expect(desk.started.at(-1)).toBe(0)
  })

  test('backwards it stops where the first camera began', async () => {
    const engine = await makeEngine(10, span(-4, 20))
    engine.seek(seconds(1))
    engine.shuttle(-1)
    await jest.advanceTimersByTimeAsync(1)
    pass(6)
    expect(engine.getState()).toMatchObject({ playing: false, time: seconds(-4) })
  })

  test('at the end of the master it stops by itself', async () => {
    const engine = await makeEngine(3)
    await engine.play()
    pass(4)
    expect(engine.getState()).toMatchObject({ playing: false, time: seconds(3) })
    expect(clocks().at(-1)).toMatchObject({ playing: false, time: seconds(3) })
  })

  test('faster each time in one direction, from the beginning in the other, silent beyond double speed', async () => {
    const engine = await makeEngine()
    engine.seek(seconds(30))
    for (const speed of [1, 2, 4, 8, 8]) {
      engine.shuttle(1)
      await jest.advanceTimersByTimeAsync(1)
      expect(engine.getState()).toMatchObject({ playing: true, speed })
    }
    expect(desk.started).toHaveLength(2)
    expect(desk.prepared).toBe(2)
    pass(1)
    expect(engine.now() / FLICKS_PER_SECOND).toBeGreaterThan(37)
    engine.shuttle(-1)
    await jest.advanceTimersByTimeAsync(1)
    expect(engine.getState().speed).toBe(-1)
    const at = engine.now()
    pass(2)
    expect((at - engine.now()) / FLICKS_PER_SECOND).toBeCloseTo(2, 1)
    engine.shuttle(-1)
    await jest.advanceTimersByTimeAsync(1)
    for (let i = 0; i < 20; i++) pass(1)
    expect(engine.getState()).toMatchObject({ playing: false, time: 0 })
  })

  test('a range is played again and again until it is stopped, a passage around a cut once and back', async () => {
    const engine = await makeEngine()
    engine.seek(seconds(40))
    engine.playSection(seconds(10), seconds(12), null)
    await jest.advanceTimersByTimeAsync(0)
    expect(engine.loops).toBe(true)
    for (let n = 0; n < 70; n++) {
      pass(0.1)
      await jest.advanceTimersByTimeAsync(0)
      expect(engine.now() / FLICKS_PER_SECOND).toBeLessThan(12.2)
      expect(engine.now() / FLICKS_PER_SECOND).toBeGreaterThan(9.8)
    }
    expect(desk.started.filter((s) => s === 10).length).toBeGreaterThan(2)
    engine.stop()
    expect(engine.loops).toBe(false)
    engine.playSection(seconds(20), seconds(21), seconds(40))
    await jest.advanceTimersByTimeAsync(0)
    pass(1.3)
    expect(engine.getState().playing).toBe(false)
    expect(engine.now()).toBe(seconds(40))
  })

  test('at half speed it sounds, and time follows the sound half as fast; slower still it is silent', async () => {
    const engine = await makeEngine()
    engine.seek(seconds(20))
    engine.shuttle(1, true)
    await jest.advanceTimersByTimeAsync(0)
    expect(engine.getState()).toMatchObject({ playing: true, speed: 0.5 })
    expect(desk).toMatchObject({ started: [20], prepared: 0.5 })
    pass(2)
    expect(engine.now() / FLICKS_PER_SECOND).toBeCloseTo(20.96, 3)
    engine.shuttle(1, true)
    await jest.advanceTimersByTimeAsync(0)
    expect(engine.getState().speed).toBe(0.25)
    expect(desk.started).toHaveLength(1)
    engine.shuttle(-1, true)
    await jest.advanceTimersByTimeAsync(0)
    expect(engine.getState().speed).toBe(-0.5)
  })

  test('a jump while it plays goes on from there at the same speed', async () => {
    const engine = await makeEngine()
    await engine.play()
    pass(1)
    engine.seek(seconds(40))
    await jest.advanceTimersByTimeAsync(1)
    expect(desk.started).toEqual([0, 40])
    pass(1)
    expect(engine.now() / FLICKS_PER_SECOND).toBeCloseTo(40.92, 2)
  })

  test('the pictures are told the clock when it changes and often while it runs, never while it stands', async () => {
    const engine = await makeEngine()
    engine.seek(seconds(3))
    expect(clocks()).toEqual([expect.objectContaining({ playing: false, time: seconds(3) })])
    pass(5)
    expect(clocks()).toHaveLength(1)
    await engine.play()
    pass(2)
    expect(clocks().length).toBeGreaterThan(15)
    engine.stop()
    const after = clocks().length
    pass(5)
    expect(clocks()).toHaveLength(after)
  })

  test('views hear of each change, and of nothing while nothing changes', async () => {
    const engine = await makeEngine()
    let heard = 0
    const end = engine.subscribe(() => heard++)
    pass(5)
    expect(heard).toBe(0)
    engine.seek(seconds(1))
    expect(heard).toBe(1)
    const health = { due: 4, late: 1, shown: {}, programme: { angleId: 'a', since: 0, standIn: false, sharp: false } }
    answer({ type: 'health', health })
    expect(heard).toBe(2)
    expect(engine.getState().health).toEqual(health)
    expect(engine.health()).toMatchObject({ due: 4, late: 1, playing: false, soundSeconds: 1 })
    engine.resetHealth()
    expect(engine.health()).toMatchObject({ due: 0, late: 0 })
    end()
    engine.seek(seconds(2))
    expect(heard).toBe(2)
  })

  test('the flam check hears its own two sounds, and the mix comes back after it', async () => {
    const engine = await makeEngine()
    const mix = { nodes: [{ key: 'master' }] } as unknown as PlayModel['sounds']
    const two = { nodes: [{ key: 'master' }, { key: 'b' }] } as unknown as PlayModel['sounds']
    engine.load({ ...model(), sounds: mix })
    await engine.play()
    expect(desk.heard).toBe(mix)
    engine.listenTo(two)
    expect(desk.heard).toBe(two)
    // An edit in the middle of the check does not end it.
    const other = { nodes: [] } as unknown as PlayModel['sounds']
    engine.load({ ...model(), sounds: other })
    expect(desk.heard).toBe(two)
    engine.listenTo(null)
    expect(desk.heard).toBe(other)
  })
})

describe('along the film', () => {
  /** The master from 0 to 10, three seconds of black, then the master from 30 to 40. */
  const runs = [
    { at: seconds(0), length: seconds(10), from: seconds(0) },
    { at: seconds(10), length: seconds(3), from: null },
    { at: seconds(13), length: seconds(10), from: seconds(30) },
  ].map((run) => ({ ...run, pieceId: 'p', cutId: 'cut', fade: seconds(0.01) }))
  async function film() {
    const engine = await makeEngine()
    engine.load({ ...model(), runs } as PlayModel)
    return engine
  }

  test('what was left out is not heard: passages follow each other, black is silence', async () => {
    const engine = await film()
    engine.seek(seconds(8))
    engine.follow('film')
    expect(engine.now()).toBe(seconds(8))
    await engine.play()
    expect(desk.passages).toEqual([
      { master: 8, after: 0, length: 2, fadeIn: 0, fadeOut: 0.01 },
      { master: 30, after: 5, length: 10, fadeIn: 0.01, fadeOut: 0 },
    ])
    expect(clocks().at(-1)).toMatchObject({ along: 'film', playing: true })
    pass(1.1)
    expect(engine.now() / FLICKS_PER_SECOND).toBeCloseTo(9.02, 3)
    // In the black it stands where the picture will go on.
    pass(2)
    expect(engine.now()).toBe(seconds(30))
    expect((engine.filmTime ?? 0) / FLICKS_PER_SECOND).toBeCloseTo(11.02, 3)
    pass(3)
    expect(engine.now() / FLICKS_PER_SECOND).toBeCloseTo(31.02, 3)
    pass(10)
    expect(engine.getState()).toMatchObject({ playing: false, time: seconds(40) })
    await engine.play()
    expect(desk.passages[0].master).toBe(0)
  })

  test('an instant that was left out is where the film goes on behind it; back on the master all can be gone to', async () => {
    const engine = await film()
    engine.follow('film')
    engine.seek(seconds(20))
    expect(engine.now()).toBe(seconds(30))
    engine.seek(seconds(50))
    expect(engine.now()).toBe(seconds(40))
    engine.follow('master')
    engine.seek(seconds(20))
    expect(engine.now()).toBe(seconds(20))
    expect(engine.filmTime).toBeNull()
  })

  test('single frames and seconds lead over the joins, on and back', async () => {
    const engine = await film()
    const rate = { num: 25, den: 1 }
    engine.follow('film')
    engine.seek(seconds(9.96))
    engine.stepFrames(1, rate)
    // The black lies between.
    expect([engine.now(), engine.filmTime]).toEqual([seconds(30), seconds(10)])
    engine.stepFrames(-1, rate)
    expect([engine.now(), engine.filmTime]).toEqual([seconds(9.96), seconds(9.96)])
    engine.shift(seconds(4))
    expect([engine.now(), engine.filmTime]).toEqual([seconds(30.96), seconds(13.96)])
    engine.shift(seconds(-100))
    expect(engine.now()).toBe(0)
  })

  test('when the film changes while it plays, the same picture is gone on with', async () => {
    const engine = await film()
    engine.follow('film')
    engine.seek(seconds(32))
    await engine.play()
    pass(1.1)
    engine.load({ ...model(), runs: [{ ...runs[2], at: seconds(0) }] } as PlayModel)
    await jest.advanceTimersByTimeAsync(1)
    expect(engine.getState().playing).toBe(true)
    expect(desk.passages[0].master).toBeCloseTo(33.02, 3)
    // An edit that changes nothing of the film does not interrupt it.
    const starts = desk.started.length
    engine.load({ ...model(), runs: [{ ...runs[2], at: seconds(0) }] } as PlayModel)
    expect(desk.started).toHaveLength(starts)
  })
})
