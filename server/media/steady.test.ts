import path from 'node:path'
import { ffmpegWithoutFollowing, makeMedia, showFolder, testConfig } from '../testing.ts'
import { PROBE_LIMITS, run } from './ffmpeg.ts'
import { probe } from './probe.ts'
import { followsCameras, makeSteady, steadyPath } from './steady.ts'
import { makeSteadyOwn } from './steady-own.ts'

const config = testConfig()
const show = showFolder(config)
const never = new AbortController().signal

const [WIDTH, HEIGHT] = [320, 180]
/** A still room, filmed by a hand that shakes at several speeds and in both directions, also a little round. */
const SHAKES = ["x='80+9*sin(n*0.9)+6*sin(n*2.3)+4*sin(n*0.31)'", "y='60+8*sin(n*1.1+1)+5*sin(n*2.9)+3*sin(n*0.43)'"]
const ROOM = 'testsrc2=size=480x300:rate=25:duration=4,trim=end_frame=1,loop=loop=99:size=1,setpts=N/25/TB,noise=alls=6:allf=t'

/** Times of all pictures, in µs. */
async function timesOf(file: string): Promise<number[]> {
  const args = ['-v', 'error', '-select_streams', 'v:0', '-show_entries', 'frame=pts_time', '-of', 'csv=p=0', file]
  const out = await run(config.ffprobe, args, { limits: PROBE_LIMITS, about: 'pictures' })
  return out
    .split('\n')
    .filter(Boolean)
    .map((t) => Math.round(1e6 * Number.parseFloat(t)))
}

/** Luma of all pictures, of the middle three quarters. */
async function lumaOf(file: string): Promise<Uint8Array[]> {
  const [w, h] = [(WIDTH * 3) / 4, (HEIGHT * 3) / 4]
  const chunks: Buffer[] = []
  await run(config.ffmpeg, ['-v', 'error', '-i', file, '-vf', `crop=${w}:${h},format=gray`, '-fps_mode', 'passthrough', '-f', 'rawvideo', 'pipe:1'], {
    limits: { seconds: 60, memoryBytes: 2 ** 30, outputBytes: 2 ** 26 },
    about: 'pictures',
    onStdout: (chunk: Buffer) => void chunks.push(chunk),
  })
  const all = Buffer.concat(chunks)
  return Array.from({ length: all.length / (w * h) }, (_, i) => all.subarray(i * w * h, (i + 1) * w * h))
}

/**
 * How far a picture lies from another one, in pixels: the whole shift with the least difference, searched anew here, between pixels by a
 * parabola through its neighbours.
 */
function shiftBetween(a: Uint8Array, b: Uint8Array, most: number): { x: number; y: number } {
  const [w, h] = [(WIDTH * 3) / 4, (HEIGHT * 3) / 4]
  const differ = (x: number, y: number) => {
    let sum = 0
    for (let row = most; row < h - most; row += 3)
      for (let column = most; column < w - most; column += 3) sum += Math.abs(a[row * w + column] - b[(row + y) * w + column + x])
    return sum
  }
  let best = { x: 0, y: 0, sum: Number.POSITIVE_INFINITY }
  for (let y = -most; y <= most; y++)
    for (let x = -most; x <= most; x++) {
      const sum = differ(x, y)
      if (sum < best.sum) best = { x, y, sum }
    }
  const between = (before: number, at: number, after: number) => (before - after) / (2 * (before - 2 * at + after) || 1)
  const { x, y, sum } = best
  const inside = (v: number) => Math.abs(v) < most
  return {
    x: inside(x) ? x + between(differ(x - 1, y), sum, differ(x + 1, y)) : x,
    y: inside(y) ? y + between(differ(x, y - 1), sum, differ(x, y + 1)) : y,
  }
}

/** Root of the mean square motion from each picture to the next, in pixels. */
function shaking(pictures: readonly Uint8Array[], most: number): number {
  const squares = pictures.slice(1).map((one, i) => {
    const { x, y } = shiftBetween(pictures[i], one, most)
    return x * x + y * y
  })
  return Math.sqrt(squares.reduce((sum, s) => sum + s, 0) / squares.length)
}

describe('steadying', () => {
  const shaky = (name: string, ...more: string[]) =>
    makeMedia(path.join(show, name), [
      '-f',
      'lavfi',
      '-i',
      ROOM,
      '-vf',
      `crop=${WIDTH}:${HEIGHT}:${SHAKES.join(':')}`,
      '-c:v',
      'libx264',
      '-crf',
      '12',
      ...more,
    ])

  const ways = [
    { way: 'vid.stab', steady: makeSteady },
    { way: 'our own way', steady: makeSteadyOwn },
  ]

  test.each(ways)('$way takes away what shakes, down to a quarter of it, and leaves every picture its time', async ({ way, steady }) => {
    const file = shaky('hand.mp4')
    const facts = await probe(config, file)
    const out = steadyPath(config, `hand ${way}`, 1)
    const told: number[] = []
    const zoom = await steady(config, { path: file, facts }, 1, out, (share) => told.push(share), never)
    const [before, after] = [shaking(await lumaOf(file), 22), shaking(await lumaOf(out), 22)]
    expect(before).toBeGreaterThan(8)
    expect(after).toBeLessThan(0.25 * before)
    expect(await timesOf(out)).toEqual(await timesOf(file))
    expect(zoom).toBeGreaterThan(0.02)
    expect(zoom).toBeLessThan(0.5)
    expect(told.every((t, i) => i === 0 || t >= told[i - 1])).toBe(true)
    const made = await probe(config, out)
    expect(made.video).toMatchObject({ width: WIDTH, height: HEIGHT, rate: { num: 25, den: 1 }, startSeconds: 0 })
    expect(made.audio).toBeNull()
  })

  test.each(ways)('$way: pictures that come late and unevenly keep their times too', async ({ way, steady }) => {
    const file = shaky('uneven.mkv', '-fps_mode', 'vfr', '-af', 'anull', '-output_ts_offset', '0.28')
    const uneven = makeMedia(path.join(show, 'uneven.mp4'), [
      '-i',
      file,
      '-vf',
      "select='not(eq(mod(n,7),3))'",
      '-fps_mode',
      'vfr',
      '-copyts',
      '-c:v',
      'libx264',
      '-crf',
      '12',
    ])
    const facts = await probe(config, uneven)
    const out = steadyPath(config, `uneven ${way}`, 0.5)
    await steady(config, { path: uneven, facts }, 0.5, out, () => undefined, never)
    const [wanted, got] = [await timesOf(uneven), await timesOf(out)]
    expect(wanted.length).toBe(86)
    expect(wanted[0]).toBeGreaterThan(200_000)
    expect(got).toEqual(wanted)
  })

  test.each(ways)('$way: a cancelled one leaves nothing behind, what has no motion says so', async ({ way, steady }) => {
    const file = shaky('left.mp4')
    const facts = await probe(config, file)
    const out = steadyPath(config, `left ${way}`, 1)
    const cancel = new AbortController()
    const going = steady(config, { path: file, facts }, 1, out, () => cancel.abort(), cancel.signal)
    await expect(going).rejects.toThrow('cancelled')
    await expect(timesOf(out)).rejects.toThrow()
    await expect(steady(config, { path: file, facts: { ...facts, video: null } }, 1, out, () => undefined, never)).rejects.toThrow(/no pictures that move/)
  })

  test('whether ffmpeg has vid.stab is asked of it', async () => {
    expect(await followsCameras(config)).toBe(true)
    expect(await followsCameras({ ...config, ffmpeg: ffmpegWithoutFollowing(config) })).toBe(false)
  })
})
