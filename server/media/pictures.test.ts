import path from 'node:path'
import type { ExchangeFile } from '@pendolo/core/formats'
import { secondsToFlicks } from '@pendolo/core/time'
import { PictureDecoder } from '../film/decoder.ts'
import { makeMedia, showFolder, testConfig } from '../testing.ts'
import { artefactPath } from './artefacts.ts'
import { contentKey } from './content.ts'
import { makeLightCopies } from './copies.ts'
import { run } from './ffmpeg.ts'
import { copyClock, gridReach, pictureSource } from './pictures.ts'
import { probe } from './probe.ts'

const config = testConfig()
const folder = showFolder(config)
const at = (name: string) => path.join(folder, name)
const LIMITS = { seconds: 30, memoryBytes: 1e9 }

interface Planes {
  readonly width: number
  readonly height: number
  readonly luma: Uint8Array
  readonly blue: Uint8Array
  readonly red: Uint8Array
}

function planes(data: Buffer, width: number, height: number): Planes {
  const [size, quarter] = [width * height, (width * height) / 4]
  return { width, height, luma: data.subarray(0, size), blue: data.subarray(size, size + quarter), red: data.subarray(size + quarter, size + 2 * quarter) }
}

/** A picture of the film, and the same one of the light copy. */
async function seen(file: string, seconds: number, size: { width: number; height: number }): Promise<Planes[]> {
  const facts = await probe(config, file)
  const source: ExchangeFile = { id: 'f', name: path.basename(file), path: file, facts }
  const decoder = new PictureDecoder(
    config,
    source,
    await pictureSource(config, file),
    [{ from: secondsToFlicks(seconds), to: secondsToFlicks(seconds) }],
    size,
    { framing: 'fit', table: null, work: null },
  )
  const film = await decoder.shownAt(secondsToFlicks(seconds))
  decoder.close()
  const { key } = await contentKey(file)
  await makeLightCopies(config, file, key, facts, () => undefined, new AbortController().signal)
  const copy = artefactPath(config, key, 'sharp')
  const told = ['-v', 'error', '-show_entries', 'stream=width,height', '-of', 'csv=p=0', copy]
  const [width, height] = (await run(config.ffprobe, told, { limits: LIMITS, about: 'x' })).split(',').map(Number)
  const chunks: Buffer[] = []
  const args = ['-v', 'error', '-ss', String(seconds), '-i', copy, '-frames:v', '1', '-f', 'rawvideo', '-pix_fmt', 'yuv420p', 'pipe:1']
  await run(config.ffmpeg, args, { limits: LIMITS, about: 'x', onStdout: (chunk) => void chunks.push(chunk) })
  return [planes(film, size.width, size.height), planes(Buffer.concat(chunks), width, height)]
}

const middle = ({ width, height, luma, blue, red }: Planes) => {
  const at = (w: number, h: number) => Math.floor(h / 2) * w + Math.floor(w / 2)
  const chroma = at(width / 2, height / 2)
  return [luma[at(width, height)], blue[chroma], red[chroma]]
}

/** Red as BT.709 has it in limited range. */
const RED = [63, 102, 240]

describe('colours come out alike in copies and film, however they are stored', () => {
  const red = (size: string) => ['-f', 'lavfi', '-i', `color=red:size=${size}:rate=25:duration=1,format=rgb24`]
  const plain = ['-color_primaries', 'unknown', '-color_trc', 'unknown', '-colorspace', 'unknown', '-color_range', 'unknown']
  test.each([
    ['untagged and large: BT.709', '1280x720', 'scale=out_color_matrix=bt709:out_range=tv,format=yuv420p,setparams=colorspace=unknown', plain],
    ['untagged and small: BT.601', '720x576', 'scale=out_color_matrix=bt601:out_range=tv,format=yuv420p,setparams=colorspace=unknown', plain],
    ['large but tagged BT.601', '1280x720', 'scale=out_color_matrix=bt601:out_range=tv,format=yuv420p', ['-colorspace', 'smpte170m']],
    ['small but tagged BT.709', '640x360', 'scale=out_color_matrix=bt709:out_range=tv,format=yuv420p', ['-colorspace', 'bt709']],
    ['full range', '1280x720', 'scale=out_color_matrix=bt709:out_range=pc,format=yuv420p', ['-colorspace', 'bt709', '-color_range', 'pc']],
    ['ten bits', '1280x720', 'scale=out_color_matrix=bt709:out_range=tv,format=yuv420p10le', ['-colorspace', 'bt709']],
  ])('%s', async (name, size, filter, tags) => {
    const file = makeMedia(at(`${name.replace(/\W+/g, '-')}.mp4`), [...red(size), '-vf', filter, '-c:v', 'libx264', '-crf', '4', ...tags])
    const [width, height] = size.split('x').map(Number)
    for (const picture of await seen(file, 0.5, { width, height }))
      for (const [i, value] of middle(picture).entries()) expect(Math.abs(value - RED[i])).toBeLessThanOrEqual(3)
  })

  test.each([
    // Diffuse white of ITU-R BT.2408, 203 cd/m², and grey of a tenth of it, in ten bits of limited range.
    ['pq', 'smpte2084', 573, 368],
    ['hlg', 'arib-std-b67', 721, 269],
  ] as const)('a wide range (%s) is brought into the film’s, white bright and grey in order', async (wide, transfer, white, grey) => {
    const bars = `color=black:size=640x360:rate=25:duration=1,format=yuv420p10le,geq=lum='if(lt(X,W/2),${grey},${white})':cb=512:cr=512`
    const tags = ['-colorspace', 'bt2020nc', '-color_primaries', 'bt2020', '-color_trc', transfer, '-color_range', 'tv']
    const file = makeMedia(at(`${wide}.mkv`), ['-f', 'lavfi', '-i', bars, '-c:v', 'libx264', '-crf', '4', '-pix_fmt', 'yuv420p10le', ...tags])
    expect((await probe(config, file)).video).toMatchObject({ wide })
    for (const { luma, width, height, blue, red: cr } of await seen(file, 0.5, { width: 640, height: 360 })) {
      const row = Math.floor(height / 2) * width
      const [dark, light] = [luma[row + width / 4], luma[row + (3 * width) / 4]]
      expect(light).toBeGreaterThan(150)
      expect(light).toBeLessThanOrEqual(237)
      expect(dark).toBeGreaterThan(40)
      expect(dark).toBeLessThan(0.7 * light)
      for (const plane of [blue, cr]) expect(Math.abs(plane[plane.length / 2 + width / 8] - 128)).toBeLessThanOrEqual(4)
    }
  })
})

describe('fields', () => {
  /** A bar that moves 8 pixels a field; in woven pictures its edges are combs. */
  const moving = (fields: 'tff' | 'bff') =>
    `color=black:size=720x576:rate=50:duration=2,format=yuv420p,geq=lum='if(between(X,100+N*8,180+N*8),230,20)':cb=128:cr=128,interlace=scan=${fields}:lowpass=0`
  /** How much neighbouring lines differ more than lines of one field do. */
  const combs = ({ luma, width, height }: Planes) => {
    let sum = 0
    for (let y = 2; y < height - 2; y++)
      for (let x = 0; x < width; x++) {
        const [a, b, c] = [luma[(y - 1) * width + x], luma[y * width + x], luma[(y + 1) * width + x]]
        if (Math.abs(a - c) < 16 && Math.abs(b - (a + c) / 2) > 60) sum++
      }
    return sum / height
  }
  const woven: readonly [string, 'top' | 'bottom', readonly string[]][] = [
    ['tape.mpg', 'top', ['-c:v', 'mpeg2video', '-q:v', '2', '-flags', '+ildct+ilme', '-top', '1']],
    ['card.mts', 'top', ['-c:v', 'libx264', '-flags', '+ildct+ilme', '-x264-params', 'tff=1', '-f', 'mpegts']],
    ['dv.avi', 'bottom', ['-c:v', 'dvvideo', '-pix_fmt', 'yuv420p', '-top', '0']],
  ]

  test.each(woven)('of %s are told, and neither copies nor film keep their combs', async (name, fields, args) => {
    const file = makeMedia(at(name), ['-f', 'lavfi', '-i', moving(fields === 'top' ? 'tff' : 'bff'), ...args])
    const facts = await probe(config, file)
    expect(facts.video).toMatchObject({ fields, frames: 50 })
    const raw: Buffer[] = []
    await run(config.ffmpeg, ['-v', 'error', '-i', file, '-frames:v', '20', '-f', 'rawvideo', '-pix_fmt', 'yuv420p', 'pipe:1'], {
      limits: LIMITS,
      about: 'x',
      onStdout: (chunk) => void raw.push(chunk),
    })
    const bytes = (720 * 576 * 3) / 2
    expect(combs(planes(Buffer.concat(raw).subarray(19 * bytes), 720, 576))).toBeGreaterThan(5)
    for (const picture of await seen(file, 0.8, { width: 720, height: 576 })) expect(combs(picture)).toBeLessThan(0.5)
  })

  test('are not looked for in progressive pictures', async () => {
    const file = makeMedia(at('plain.mp4'), ['-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=25:duration=1', '-c:v', 'libx264'])
    expect((await probe(config, file)).video?.fields).toBeUndefined()
    expect((await pictureSource(config, file)).chain).not.toContain('bwdif')
  })
})

test('the clock of a copy holds grid and container exactly where a browser can tell its steps apart', () => {
  const video = (num: number, den: number) => ({ rate: { num, den } }) as Parameters<typeof copyClock>[0]
  expect(copyClock(video(25, 1), { num: 1, den: 90000 })).toBe(90000)
  expect(copyClock(video(30000, 1001), { num: 1, den: 1000 })).toBe(30000)
  expect(copyClock(video(24000, 1001), { num: 1, den: 90000 })).toBe(360_000)
  const odd = copyClock(video(24000, 1001), { num: 1, den: 999_983 })
  expect(odd).toBeLessThanOrEqual(1_000_000)
  expect(odd % 24000).toBe(0)
})

test('how many frames some pictures reach is told by the last of them', () => {
  expect(gridReach([0, 0.08, 0.04, Number.NaN], { num: 25, den: 1 })).toBe(3)
  expect(gridReach([Number.NaN], { num: 25, den: 1 })).toBeNull()
})
