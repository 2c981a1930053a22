import path from 'node:path'
import { layOut } from '@pendolo/core/formats'
import { type Cutout, keptRect, placing, planesThrough, WHOLE } from '@pendolo/core/picture'
import { applyEdits, type Edit, emptyProject } from '@pendolo/core/project'
import { flicks, frameStart } from '@pendolo/core/time'
import { exchangeFiles } from '../jobs/workshop.ts'
import { run } from '../media/ffmpeg.ts'
import { probe } from '../media/probe.ts'
import { makeMedia, showFolder, testConfig } from '../testing.ts'
import { FilmSources } from './sources.ts'

const config = testConfig()
const folder = showFolder(config)
const RATE = { num: 25, den: 1 }
const OWN = { width: 320, height: 240 }
const SIZE = { width: 640, height: 360 }
const BYTES = (SIZE.width * SIZE.height * 3) / 2
const at = (frame: number) => frameStart(frame, RATE)

/** A camera of three seconds whose every picture is another one, smooth enough to be compared between pixels. */
const camera = makeMedia(path.join(folder, 'camera.mp4'), [
  ...['-f', 'lavfi', '-i', `testsrc2=s=${OWN.width}x${OWN.height}:r=25:d=3,gblur=sigma=4,eq=saturation=0.6`, '-pix_fmt', 'yuv420p'],
  ...['-vf', 'scale=out_color_matrix=bt709:out_range=tv', '-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'bt709'],
  ...['-c:v', 'libx264', '-crf', '4', '-g', '12'],
])

async function sourcesOf(...edits: Edit[]) {
  const files = exchangeFiles([
    { id: 'f', projectId: 'p', path: camera, name: 'camera.mp4', size: 0, contentKey: '', facts: await probe(config, camera), notes: [] },
  ])
  const { doc } = applyEdits(emptyProject('cut'), [
    { type: 'addClips', angles: [{ id: 'a', name: 'A', hue: 0, framing: 'fit' }], clips: [{ id: 'c', fileId: 'f', angleId: 'a', state: 'in' }] },
    {
      type: 'place',
      by: 'hand',
      placements: { c: { start: flicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false } },
      loose: {},
    },
    { type: 'choose', cutId: 'cut', time: flicks(0), choice: { angleId: 'a' } },
    ...edits,
  ])
  const exchange = layOut('Framed', doc, files)
  return new FilmSources(config, exchange, exchange.cut, SIZE, path.join(folder, 'film'))
}

/** All pictures of the camera as they were recorded. */
async function pictures(): Promise<Buffer[]> {
  const chunks: Buffer[] = []
  const bytes = (OWN.width * OWN.height * 3) / 2
  await run(config.ffmpeg, ['-v', 'error', '-i', camera, '-pix_fmt', 'yuv420p', '-f', 'rawvideo', 'pipe:1'], {
    limits: { seconds: 60, memoryBytes: 2 ** 30, outputBytes: 2 ** 26 },
    about: 'the camera',
    onStdout: (chunk: Buffer) => void chunks.push(chunk),
  })
  const all = Buffer.concat(chunks)
  return Array.from({ length: all.length / bytes }, (_, i) => all.subarray(i * bytes, (i + 1) * bytes))
}

/** What a picture is to look like. */
function wanted(data: Uint8Array, cutout: Cutout, framing: 'fit' | 'fill' = 'fit'): Uint8Array {
  const out = new Uint8Array(BYTES)
  const map = placing(OWN.width, OWN.height, SIZE.width, SIZE.height, framing, cutout)
  planesThrough({ data, ...OWN }, map, keptRect(OWN.width, OWN.height, cutout), { data: out, ...SIZE })
  return out
}
/** Mean difference of two pictures, and the share of their bytes that are more than eight apart. */
function apart(a: Uint8Array, b: Uint8Array): { mean: number; far: number } {
  let [sum, far] = [0, 0]
  for (let i = 0; i < BYTES; i++) {
    const d = Math.abs(a[i] - b[i])
    sum += d
    if (d > 8) far++
  }
  return { mean: sum / BYTES, far: far / BYTES }
}
const framed = (id: string, from: number, to: number, cutout: Cutout, cutoutTo?: Cutout): Edit => ({
  type: 'exceptions',
  exceptions: [{ id, angleId: 'a', from: at(from), to: at(to), cutout, ...(cutoutTo && { cutoutTo }) }],
})

describe('pictures that are framed', () => {
  const kinds: [string, Cutout, 'fit' | 'fill'][] = [
    ['smaller and beside the middle', { ...WHOLE, scale: 0.6, x: 0.2, y: -0.1 }, 'fit'],
    ['larger than the frame', { ...WHOLE, scale: 2.5, x: 0.4 }, 'fill'],
    ['turned and mirrored', { ...WHOLE, turn: 24, scale: 1.2, mirrored: true }, 'fit'],
    ['with edges cut off', { ...WHOLE, crop: { left: 0.2, top: 0.1, right: 0, bottom: 0.3 } }, 'fill'],
    ['out of the frame', { ...WHOLE, x: 2 }, 'fit'],
  ]
  test.each(kinds)('are %s as they should be', async (_, cutout, framing) => {
    const sources = await sourcesOf({ type: 'seeAngle', angleId: 'a', cutout }, { type: 'frameAngle', angleId: 'a', framing })
    try {
      const all = await pictures()
      for (const n of [0, 1, 30, 74]) {
        const frame = (await sources.frame(0, n)) as Buffer
        const { mean, far } = apart(frame, wanted(all[n], cutout, framing))
        expect(mean).toBeLessThanOrEqual(1)
        expect(far).toBeLessThanOrEqual(0.02)
        // The picture before is another one, wherever any is seen.
        if (n > 0 && cutout.x < 2) expect(apart(frame, wanted(all[n - 1], cutout, framing)).mean).toBeGreaterThan(1.3 * mean)
      }
    } finally {
      await sources.close()
    }
  })

  test('for a stretch are so from its first frame to its last, and move on the way', async () => {
    const close = { ...WHOLE, scale: 2, x: -0.3, y: 0.2 }
    const sources = await sourcesOf(framed('one', 10, 20, close), framed('move', 40, 60, WHOLE, { ...close, turn: 10 }))
    try {
      const all = await pictures()
      expect(sources.shots.map(({ frames, sight }) => [frames, sight?.cutout ?? null, !!sight?.cutoutTo])).toEqual([
        [10, null, false],
        [10, close, false],
        [20, null, false],
        [20, WHOLE, true],
        [15, null, false],
      ])
      let n = 0
      for (const [i, shot] of sources.shots.entries()) {
        for (let k = 0; k < shot.frames; k++, n++) {
          const frame = (await sources.frame(i, k)) as Buffer
          const share = (n - 40) / 20
          const eased = share * share * (3 - 2 * share)
          const moved = { ...WHOLE, scale: 2 ** eased, x: -0.3 * eased, y: 0.2 * eased, turn: 10 * eased }
          const cutout = i === 1 ? close : i === 3 ? moved : WHOLE
          expect(apart(frame, wanted(all[n], cutout)).mean).toBeLessThanOrEqual(1)
        }
        sources.leave(i)
      }
      expect(n).toBe(75)
    } finally {
      await sources.close()
    }
  })

  test('slower, faster, still, or from one speed to another: each frame is the picture whose time has come, and the last one where there are no more', async () => {
    const paced = (id: string, from: number, to: number, start: number, end = start): Edit => ({
      type: 'exceptions',
      exceptions: [{ id, angleId: 'a', from: at(from), to: at(to), pace: { start, end } }],
    })
    const sources = await sourcesOf(paced('slow', 10, 30, 0.5), paced('still', 30, 40, 0), paced('ramp', 40, 60, 0.4, 2), paced('past', 65, 75, 3))
    try {
      const all = await pictures()
      const pictured = (n: number) => {
        if (n >= 10 && n < 30) return 10 + Math.floor((n - 10) / 2)
        if (n >= 30 && n < 40) return 30
        if (n >= 65) return Math.min(74, 65 + 3 * (n - 65))
        if (n < 40 || n >= 60) return n
        const s = (n - 40) / 20
        return Math.floor(40 + 20 * (0.4 * s + 1.6 * (s ** 3 - s ** 4 / 2)) + 1e-6)
      }
      let n = 0
      for (const [i, shot] of sources.shots.entries()) {
        for (let k = 0; k < shot.frames; k++, n++) {
          const frame = (await sources.frame(i, k)) as Buffer
          const m = pictured(n)
          const { mean } = apart(frame, wanted(all[m], WHOLE))
          expect(mean).toBeLessThanOrEqual(1)
          for (const other of [m - 1, m + 1]) if (all[other]) expect(apart(frame, wanted(all[other], WHOLE)).mean).toBeGreaterThan(1.3 * mean)
        }
        sources.leave(i)
      }
      expect(n).toBe(75)
    } finally {
      await sources.close()
    }
  })
})
