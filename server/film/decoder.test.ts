import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import type { ExchangeFile } from '@pendolo/core/formats'
import { factsOfClip } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, secondsToFlicks } from '@pendolo/core/time'
import { artefactPath } from '../media/artefacts.ts'
import { contentKey } from '../media/content.ts'
import { makeLightCopies } from '../media/copies.ts'
import { childrenKnown, PROBE_LIMITS, run } from '../media/ffmpeg.ts'
import { pictureSource } from '../media/pictures.ts'
import { probe } from '../media/probe.ts'
import { makeMedia, makeNumbered, numberIn, showFolder, testConfig } from '../testing.ts'
import { PictureDecoder } from './decoder.ts'
import { StillDecoder } from './still.ts'

const FITTED = { framing: 'fit', table: null, work: null } as const
const config = testConfig()
const folder = showFolder(config)
const handles = () => readdirSync('/proc/self/fd').length
const SIZE = { width: 320, height: 180 }

const from = (time: Flicks) => [{ from: time, to: time }]

async function gathered(file: string): Promise<ExchangeFile> {
  return { id: 'f', name: path.basename(file), path: file, facts: await probe(config, file) }
}

test('a source that is left in the middle leaves no process, no pipe and no timer behind', async () => {
  const file = await gathered(makeMedia(path.join(folder, 'long.mp4'), ['-f', 'lavfi', '-i', 'testsrc2=size=640x360:rate=25:duration=20']))
  const source = await pictureSource(config, file.path)
  const before = handles()
  for (let n = 0; n < 6; n++) {
    const decoder = new PictureDecoder(config, file, source, from(secondsToFlicks(0.4 * n)), { width: 640, height: 360 }, FITTED)
    await decoder.shownAt(secondsToFlicks(0.4 * n))
    // Meanwhile more is decoded than anybody will read.
    await new Promise((resolve) => setTimeout(resolve, 100))
    decoder.close()
    decoder.close()
  }
  const until = Date.now() + 5000
  while (childrenKnown() > 0 && Date.now() < until) await new Promise((resolve) => setTimeout(resolve, 20))
  expect(childrenKnown()).toBe(0)
  expect(handles()).toBeLessThanOrEqual(before + 1)
})

/** Numbered pictures in a file: how it is made, and the clip time of each number it holds, in flicks. */
interface Case {
  readonly name: string
  readonly rate: string
  readonly args: readonly string[]
  /** Where the file is made anew from a first one. */
  readonly again?: readonly string[]
  /** Filter that moves or leaves out pictures. */
  readonly filter?: string
  readonly time: (n: number) => number | null
}

const STEADY =
  (rate: number, from = 0) =>
  (n: number) =>
    n < from ? null : Math.round(((n - from) / rate) * FLICKS_PER_SECOND)
const NTSC = 30000 / 1001
/** Pictures 60 to 139 are missing; of the others each third comes 11 ms late. */
const WILD = (n: number) => (n >= 60 && n < 140 ? null : Math.round((n / 30 + (n % 3 === 2 ? 0.011 : 0)) * FLICKS_PER_SECOND))
const wildFilter = "select='not(between(n,60,139))',settb=1/90000,setpts='PTS+if(eq(mod(round(PTS*TB*30),3),2),0.011/TB,0)'"
const wildTimes = ['-fps_mode', 'passthrough', '-enc_time_base', '1/90000']

const CASES: readonly Case[] = [
  { name: 'long-groups.mp4', rate: '25', args: ['-c:v', 'libx264', '-g', '250', '-bf', '3'], time: STEADY(25) },
  { name: 'ntsc.mkv', rate: '30000/1001', args: ['-c:v', 'libx264', '-g', '90'], time: STEADY(NTSC) },
  { name: 'card.ts', rate: '25', args: ['-c:v', 'libx264', '-g', '100', '-bf', '3'], time: STEADY(25) },
  { name: 'open-groups.ts', rate: '25', args: ['-c:v', 'libx264', '-x264-params', 'open-gop=1:keyint=60:bframes=3'], time: STEADY(25) },
  { name: 'card.mts', rate: '30000/1001', args: ['-c:v', 'libx264', '-g', '30', '-f', 'mpegts', '-mpegts_m2ts_mode', '1'], time: STEADY(NTSC) },
  { name: 'tape.mpg', rate: '25', args: ['-c:v', 'mpeg2video', '-q:v', '2', '-g', '60', '-bf', '2'], time: STEADY(25) },
  { name: 'shoulder.mxf', rate: '25', args: ['-c:v', 'mpeg2video', '-q:v', '2', '-bf', '2'], time: STEADY(25) },
  { name: 'old.avi', rate: '25', args: ['-c:v', 'mjpeg', '-q:v', '3'], time: STEADY(25) },
  {
    name: 'wild.mkv',
    rate: '30',
    filter: wildFilter,
    args: ['-c:v', 'libx264', ...wildTimes],
    time: (n) => (n % 3 === 2 ? roundedTo(WILD(n), 1000) : WILD(n)),
  },
  { name: 'wild.mp4', rate: '30', filter: wildFilter, args: ['-c:v', 'libx264', ...wildTimes, '-video_track_timescale', '90000'], time: WILD },
  {
    name: 'trimmed.mp4',
    rate: '25',
    args: ['-c:v', 'libx264', '-g', '250'],
    again: ['-ss', '1.52', '-i', 'IT', '-c', 'copy'],
    time: (n) => (n < 38 ? null : Math.round((n / 25 - 1.52) * FLICKS_PER_SECOND)),
  },
  {
    name: 'late.mov',
    rate: '25',
    args: ['-f', 'lavfi', '-i', 'sine=duration=9', '-map', '0:v', '-map', '1:a', '-c:v', 'libx264', '-c:a', 'pcm_s16le', ...wildTimes],
    filter: 'settb=1/90000,setpts=PTS+0.3/TB',
    // The muxer keeps such a beginning in milliseconds, less the first picture's.
    time: (n) => Math.round((n / 25 + 0.299) * FLICKS_PER_SECOND),
  },
  {
    name: 'woven.mpg',
    rate: '25',
    args: ['-c:v', 'mpeg2video', '-q:v', '2', '-flags', '+ildct+ilme', '-top', '1'],
    filter: 'setfield=tff',
    time: STEADY(25),
  },
]

/** Off the grid as a container keeps it that counts in steps of 1/`steps` s. */
function roundedTo(time: number | null, steps: number): number | null {
  return time === null ? null : Math.round((time / FLICKS_PER_SECOND) * steps) * (FLICKS_PER_SECOND / steps)
}

/** Instants at which it is easy to be wrong: on borders, just beside them, in holds, at both ends. */
function awkward(times: readonly number[]): number[] {
  const out: number[] = []
  for (let i = 1; i < times.length; i += 7) out.push(times[i] - 1, times[i], times[i] + 1, Math.round((times[i] + (times[i + 1] ?? times[i])) / 2))
  const frame = frameStart(1, { num: 30000, den: 1001 })
  for (let k = 3; k * frame < times[times.length - 1]; k += 11) out.push(k * frame)
  return out.filter((t) => t >= times[0]).sort((a, b) => a - b)
}

/** What a player of a copy shows: the last picture whose time has come. */
async function inCopy(copy: string): Promise<{ seconds: number; number: number }[]> {
  const args = ['-v', 'error', '-show_entries', 'frame=pts:stream=time_base', '-of', 'json', copy]
  const { frames, streams } = JSON.parse(await run(config.ffprobe, args, { limits: PROBE_LIMITS, about: 'x' }))
  const steps = Number(streams[0].time_base.slice(2))
  const seconds: number[] = frames.map((f: { pts: number }) => f.pts / steps)
  const chunks: Buffer[] = []
  const limits = { seconds: 30, memoryBytes: 1e9 }
  const raw = ['-v', 'error', '-i', copy, '-fps_mode', 'passthrough', '-vf', 'scale=320:180', '-pix_fmt', 'gray', '-f', 'rawvideo', 'pipe:1']
  await run(config.ffmpeg, raw, { limits, about: 'x', onStdout: (chunk) => void chunks.push(chunk) })
  const all = Buffer.concat(chunks)
  const bytes = SIZE.width * SIZE.height
  expect(all.length).toBe(seconds.length * bytes)
  return seconds.map((s, i) => ({ seconds: s, number: numberIn(all.subarray(i * bytes), SIZE) ?? Number.NaN }))
}

describe.each(CASES)('$name', ({ name, rate, args, again, filter, time }) => {
  const numbers = Array.from({ length: 200 }, (_, n) => n).filter((n) => time(n) !== null)
  const times = numbers.map((n) => time(n) as number)
  const wanted = (t: number) => numbers[times.findLastIndex((at) => at <= t)]
  let file: ExchangeFile

  beforeAll(async () => {
    let made = makeNumbered(path.join(folder, again ? `whole-${name}` : name), 200, rate, filter ?? 'null', args)
    if (again)
      made = makeMedia(
        path.join(folder, name),
        again.map((a) => (a === 'IT' ? made : a)),
      )
    file = await gathered(made)
  })

  test('the film shows each picture from its own time until the next, wherever it begins', async () => {
    const source = await pictureSource(config, file.path)
    const instants = awkward(times)
    const wrong: string[] = []
    for (const begin of [0, 0.62].map((share) => Math.floor(share * instants.length))) {
      const decoder = new PictureDecoder(config, file, source, from(flicks(instants[begin])), SIZE, FITTED)
      for (const t of instants.slice(begin, begin + 60)) {
        const number = numberIn(await decoder.shownAt(flicks(t)), SIZE)
        if (number !== wanted(t)) wrong.push(`${t / FLICKS_PER_SECOND} s: ${number} for ${wanted(t)}`)
      }
      decoder.close()
    }
    expect(wrong).toEqual([])
  })

  test('its light copy shows the same', async () => {
    const { key } = await contentKey(file.path)
    const frames = await makeLightCopies(config, file.path, key, file.facts, () => undefined, new AbortController().signal)
    // What is known of its length does not change when the copies are made.
    expect(frames).toBe(file.facts.video?.frames)
    const pictures = await inCopy(artefactPath(config, key, 'tile'))
    const start = (file.facts.video?.startSeconds ?? 0) * FLICKS_PER_SECOND
    const shown = (t: number) => pictures[pictures.findLastIndex((p) => p.seconds <= (t - start) / FLICKS_PER_SECOND + 1e-10)]?.number
    const wrong = awkward(times).filter((t) => shown(t) !== wanted(t))
    expect(wrong.map((t) => `${t / FLICKS_PER_SECOND} s: ${shown(t)} for ${wanted(t)}`)).toEqual([])
  })
})

test('a file that has lost its end since it was gathered is told, not filled up', async () => {
  const whole = await gathered(makeNumbered(path.join(folder, 'whole.ts'), 200, '25', 'null', ['-c:v', 'libx264', '-g', '25']))
  const cut = makeMedia(path.join(folder, 'cut.ts'), ['-i', whole.path, '-t', '3', '-c', 'copy'])
  const file = { ...whole, name: 'cut.ts', path: cut }
  const decoder = new PictureDecoder(config, file, await pictureSource(config, cut), from(secondsToFlicks(2)), SIZE, FITTED)
  await expect(decoder.shownAt(secondsToFlicks(2.5))).resolves.toBeDefined()
  await expect(decoder.shownAt(secondsToFlicks(6))).rejects.toThrow(/cut\.ts gives no picture at [23]\.\d s and later.*Copy it from the card again/)
  decoder.close()
})

test('a clip whose rate was set is shown at that rate, whatever its file says', async () => {
  const made = makeNumbered(path.join(folder, 'mistold.mp4'), 200, '50', 'null', ['-c:v', 'libx264', '-g', '60', '-bf', '3'])
  const told = await gathered(made)
  const file = { ...told, facts: factsOfClip(told.facts, { rate: '25/1' }) }
  const source = await pictureSource(config, file.path)
  const decoder = new PictureDecoder(config, file, source, from(secondsToFlicks(3)), SIZE, FITTED)
  for (const n of [75, 76, 90, 150, 199]) {
    const picture = await decoder.shownAt(flicks(frameStart(n, { num: 25, den: 1 })))
    expect(numberIn(picture, SIZE)).toBe(n)
  }
  decoder.close()
})

test('the picture that follows is told, and how much of the way to it is gone', async () => {
  const file = await gathered(makeNumbered(path.join(folder, 'between.mp4'), 60, '25', 'null', ['-c:v', 'libx264', '-g', '20', '-bf', '2']))
  const source = await pictureSource(config, file.path)
  const start = flicks(frameStart(20, { num: 25, den: 1 }))
  const decoder = new PictureDecoder(config, file, source, from(start), SIZE, FITTED)
  for (const [frame, part] of [
    [20, 0],
    [20, 0.25],
    [20, 0.9],
    [23, 0.5],
  ]) {
    const time = flicks(Math.round(frameStart(1, { num: 25, den: 1 }) * (frame + part)))
    expect(numberIn(await decoder.shownAt(time), SIZE)).toBe(frame)
    const next = decoder.following(time)
    expect(next?.share).toBeCloseTo(part, 6)
    expect(numberIn(next?.data as Buffer, SIZE)).toBe(frame + 1)
  }
  const last = flicks(frameStart(59, { num: 25, den: 1 }))
  expect(numberIn(await decoder.shownAt(last), SIZE)).toBe(59)
  expect(decoder.following(last)).toBeNull()
  decoder.close()
})

describe('a still', () => {
  const still = (name: string, args: string[]) => makeMedia(path.join(folder, name), [...args, '-frames:v', '1'])
  const shown = async (path: string) => {
    const file = await gathered(path)
    const decoder = new StillDecoder(config, file, await pictureSource(config, path), SIZE, FITTED)
    const picture = await decoder.shownAt()
    decoder.close()
    return { file, luma: (x: number, y: number) => picture[y * SIZE.width + x] }
  }

  test.each(['png', 'jpg', 'tiff', 'webp'])('as %s is one picture that stands', async (ending) => {
    const { file, luma } = await shown(still(`half.${ending}`, ['-f', 'lavfi', '-i', 'color=white:size=320x180,drawbox=x=160:w=160:h=180:color=black:t=fill']))
    expect(file.facts).toMatchObject({ durationSeconds: 0, audio: null, video: { still: true, width: 320, height: 180, frames: 1 } })
    expect(luma(80, 90)).toBeGreaterThan(225)
    expect(luma(240, 90)).toBeLessThan(25)
    await makeLightCopies(config, file.path, `still-${ending}`, file.facts, () => undefined, new AbortController().signal)
    expect((await inCopy(artefactPath(config, `still-${ending}`, 'tile'))).length).toBe(1)
  })

  test('is turned as its camera wrote', async () => {
    const plain = readFileSync(still('upright.jpg', ['-f', 'lavfi', '-i', 'color=white:size=400x200,drawbox=w=200:h=200:color=black:t=fill', '-q:v', '2']))
    const turned = path.join(folder, 'turned.jpg')
    writeFileSync(turned, Buffer.concat([plain.subarray(0, 2), orientation(6), plain.subarray(2)]))
    const { file, luma } = await shown(turned)
    expect(file.facts.video).toMatchObject({ width: 200, height: 400 })
    // A quarter to the right: what was at the left is above.
    expect(luma(160, 40)).toBeLessThan(40)
    expect(luma(160, 140)).toBeGreaterThan(200)
  })

  test('stands on black where it is transparent', async () => {
    const { luma } = await shown(still('glass.png', ['-f', 'lavfi', '-i', 'color=white:size=320x180,format=rgba,colorchannelmixer=aa=0']))
    expect(luma(160, 90)).toBeLessThan(20)
  })

  test('whose name lies is refused, and one that is damaged says so', async () => {
    const not = path.join(folder, 'not.png')
    writeFileSync(not, 'words')
    await expect(probe(config, not)).rejects.toThrow(/no picture or sound that can be read/)
    const broken = path.join(folder, 'broken.png')
    writeFileSync(broken, Buffer.concat([Buffer.from('\x89PNG\r\n\x1a\n', 'latin1'), Buffer.alloc(400, 3)]))
    await expect(probe(config, broken)).rejects.toThrow(/picture/)
  })
})

/** What a camera writes about how it was held (Exif 2.32, tag 0x0112). */
function orientation(value: number): Buffer {
  const tiff = Buffer.alloc(26)
  tiff.write('MM', 0)
  tiff.writeUInt16BE(42, 2)
  tiff.writeUInt32BE(8, 4)
  tiff.writeUInt16BE(1, 8)
  tiff.writeUInt16BE(0x112, 10)
  tiff.writeUInt16BE(3, 12)
  tiff.writeUInt32BE(1, 14)
  tiff.writeUInt16BE(value, 18)
  const body = Buffer.concat([Buffer.from('Exif\0\0', 'latin1'), tiff])
  const head = Buffer.alloc(4)
  head.writeUInt16BE(0xffe1, 0)
  head.writeUInt16BE(body.length + 2, 2)
  return Buffer.concat([head, body])
}

describe('a source that comes again', () => {
  const RATE = { num: 25, den: 1 }
  const at = (n: number) => flicks(frameStart(n, RATE))
  const ranges = [
    [20, 27],
    [60, 66],
    [67, 90],
    [150, 170],
  ].map(([a, b]) => ({ from: at(a), to: at(b) }))

  const usual = ['-c:v', 'libx264', '-g', '80', '-bf', '2', '-fps_mode', 'passthrough']
  test.each([
    ['steady', 'null', usual],
    // Said to be steady, but nothing came from picture 52 to 63 and from 100 to 151.
    ['with gaps', "select='not(between(n,52,63)+between(n,100,151))'", usual],
    ['with one missing at each beginning', "select='not(eq(n,20)+eq(n,60)+eq(n,150))'", usual],
    ['woven of fields', 'setfield=tff', [...usual, '-flags', '+ildct+ilme', '-top', '1']],
  ])('%s: shows in each stretch what all of its pictures would', async (name, filter, args) => {
    const made = makeNumbered(path.join(folder, `again-${name}.mkv`), 200, '25', filter, args)
    const told = await gathered(made)
    const facts = { ...told.facts, video: { ...(told.facts.video as NonNullable<typeof told.facts.video>), variableRate: false, rate: RATE, frames: 200 } }
    const file = { ...told, facts }
    const source = await pictureSource(config, made)
    const [chosen, all] = [ranges, from(at(20))].map((r) => new PictureDecoder(config, file, source, r, SIZE, FITTED))
    for (const { from: a, to: b } of ranges)
      for (let t = a; t <= b; t = flicks(t + frameStart(1, RATE))) {
        const [x, y] = [await chosen.shownAt(t), await all.shownAt(t)]
        expect([t / FLICKS_PER_SECOND, numberIn(x, SIZE)]).toEqual([t / FLICKS_PER_SECOND, numberIn(y, SIZE)])
        // What a picture is woven with is the same too.
        expect(x.equals(y)).toBe(true)
      }
    expect(file.facts.video.fields).toBe(name.startsWith('woven') ? 'top' : undefined)
    chosen.close()
    all.close()
  })
})
