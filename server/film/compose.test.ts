import { readdirSync } from 'node:fs'
import path from 'node:path'
import { layOut } from '@pendolo/core/formats'
import { applyEdits, type Edit, emptyProject, type Layer } from '@pendolo/core/project'
import { flicks, frameStart } from '@pendolo/core/time'
import { exchangeFiles } from '../jobs/workshop.ts'
import { probe } from '../media/probe.ts'
import { makeMedia, showFolder, testConfig } from '../testing.ts'
import { FilmPictures } from './compose.ts'

const config = testConfig()
const folder = showFolder(config)
const SIZE = { width: 64, height: 36 }
const RATE = { num: 25, den: 1 }
const at = (frame: number) => frameStart(frame, RATE)

/** Cameras of four seconds: the brightness of each picture tells its number, rising in one, falling in the other. */
const CAMERAS = { rising: (n: number) => 20 + 2 * n, falling: (n: number) => 230 - 2 * n }
const files = {
  rising: makeMedia(path.join(folder, 'rising.mp4'), grey('20+2*N')),
  falling: makeMedia(path.join(folder, 'falling.mp4'), grey('230-2*N')),
}
function grey(luma: string): string[] {
  const source = `color=c=gray:s=${SIZE.width}x${SIZE.height}:r=25:d=4,format=yuv420p,geq=lum='${luma}':cb=128:cr=128`
  return ['-f', 'lavfi', '-i', source, '-c:v', 'libx264', '-qp', '0', '-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'bt709']
}

/** Brightness of every frame of a film that shows the rising camera, from frame 40 on the falling one. */
async function film(...edits: Edit[]): Promise<number[]> {
  return (await frames(...edits)).map((frame) => frame[SIZE.width * 18 + 32])
}

/** A logo: white, seen through to half on its left side and wholly on its right. */
const logo = makeMedia(path.join(folder, 'logo.png'), [
  ...['-f', 'lavfi', '-i', "color=c=white:s=40x20:d=0.04,format=rgba,geq=r=255:g=255:b=255:a='if(lt(X,20),128,0)'", '-frames:v', '1'],
])

/** Every frame of that film. */
async function frames(...edits: Edit[]): Promise<Uint8Array[]> {
  const rows = await Promise.all(
    Object.entries({ ...files, logo }).map(async ([id, file]) => ({
      id,
      projectId: 'p',
      path: file,
      name: path.basename(file),
      size: 0,
      contentKey: '',
      facts: await probe(config, file),
      notes: [],
    })),
  )
  const place = { start: flicks(0), rate: 1, method: 'hand' as const, verdict: 'sure' as const, confidence: 1, why: [], locked: false }
  const { doc } = applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: Object.keys(files).map((id, hue) => ({ id, name: id, hue, framing: 'fit' as const })),
      clips: Object.keys(files).map((id) => ({ id, fileId: id, angleId: id, state: 'in' as const })),
    },
    { type: 'place', by: 'hand', placements: { rising: place, falling: place }, loose: {} },
    { type: 'choose', cutId: 'cut', time: at(0), choice: { angleId: 'rising' } },
    { type: 'choose', cutId: 'cut', time: at(40), choice: { angleId: 'falling' } },
    ...edits,
  ])
  const pictures = new FilmPictures(config, layOut('Film', doc, exchangeFiles(rows)), SIZE, path.join(folder, 'film.part'))
  try {
    const out: Uint8Array[] = []
    for await (const frame of pictures.frames()) out.push(Uint8Array.from(frame))
    return out
  } finally {
    await pictures.close()
  }
}
const giving = (frame: number, kind: 'dissolve' | 'dip' | 'dip-white', frames: number): Edit => ({
  type: 'transition',
  cutId: 'cut',
  time: at(frame),
  transition: { kind, length: flicks(at(frames)) },
})
const own = (n: number) => (n < 40 ? CAMERAS.rising(n) : CAMERAS.falling(n))
const other = (n: number) => (n < 40 ? CAMERAS.falling(n) : CAMERAS.rising(n))

describe('the pictures of a film', () => {
  test('give way to each other around a cut, each frame from its own two pictures', async () => {
    const seen = await film(giving(40, 'dissolve', 20))
    expect(seen).toHaveLength(100)
    for (const [n, luma] of seen.entries()) {
      const share = Math.max(0, 0.5 - Math.abs(n - 40) / 20)
      expect([n, Math.abs(luma - (own(n) + (other(n) - own(n)) * share)) <= 1]).toEqual([n, true])
    }
  })

  test('sink into black or white and come out of it', async () => {
    for (const [kind, ground] of [
      ['dip', 16],
      ['dip-white', 235],
    ] as const) {
      const seen = await film(giving(40, kind, 10))
      expect(seen[40]).toBe(ground)
      for (const [n, luma] of seen.entries()) {
        const share = Math.max(0, 1 - Math.abs(n - 40) / 5)
        expect([n, Math.abs(luma - (own(n) + (ground - own(n)) * share)) <= 1]).toEqual([n, true])
      }
    }
  })

  test('have titles over them while these last, drawn with our own letters', async () => {
    const title = { letters: 0.4, colour: '#ffffff', align: 'center' as const, box: { colour: '#ffffff', share: 1 } }
    const layer = {
      id: 't',
      kind: 'title' as const,
      from: at(50),
      to: at(70),
      height: 0,
      place: { x: 0.25, y: 0.25, width: 0.5, height: 0.5 },
      text: 'Tram',
      title,
    }
    const seen = await film({ type: 'layers', cutId: 'cut', layers: [{ ...layer, fadeIn: at(10) }] })
    for (const [n, luma] of seen.entries()) {
      const share = n < 50 || n >= 70 ? 0 : Math.min(1, (n - 50) / 10)
      expect([n, Math.abs(luma - (own(n) + (235 - own(n)) * share)) <= 1]).toEqual([n, true])
    }
  })

  test('have another angle small over them, each of its frames from its own picture', async () => {
    const place = { x: 0.25, y: 0.25, width: 0.5, height: 0.5 }
    const layer = { id: 'i', kind: 'inset' as const, angleId: 'falling', from: at(10), to: at(70), height: 0, place }
    const seen = await film(
      { type: 'layers', cutId: 'cut', layers: [layer] },
      { type: 'seeAngle', angleId: 'falling', cutout: { x: 1, y: 0, scale: 1, turn: 0 } },
    )
    // From frame 40 on the film shows the falling camera itself, which its framing has put out of the frame: only the inset is seen.
    for (const [n, luma] of seen.entries()) {
      const wanted = n >= 10 && n < 70 ? CAMERAS.falling(n) : n < 40 ? CAMERAS.rising(n) : 16
      expect([n, Math.abs(luma - wanted) <= 1]).toEqual([n, true])
    }
  })

  test('come out of black at the beginning of the film and go into it at its end, and leave nothing behind', async () => {
    const look: Edit = { type: 'seeAngle', angleId: 'falling', look: { exposure: 0.01 } }
    const seen = await film({ type: 'endFades', cutId: 'cut', fadeIn: at(10), fadeOut: at(20) }, look, giving(40, 'dissolve', 2))
    expect(seen[0]).toBe(16)
    for (const n of [1, 5, 9]) expect(Math.abs(seen[n] - (16 + (own(n) - 16) * (n / 10)))).toBeLessThanOrEqual(1)
    expect(seen[20]).toBe(own(20))
    for (const n of [81, 90, 99]) expect(Math.abs(seen[n] - (16 + (own(n) - 16) * ((100 - n) / 20)))).toBeLessThanOrEqual(3)
    expect(readdirSync(folder).filter((name) => name.includes('.part'))).toEqual([])
  })

  test('have stills over them, through which is seen what lies below, whole in their places', async () => {
    const still = (to: Partial<Layer>): Edit => ({
      type: 'layers',
      cutId: 'cut',
      layers: [{ id: 's', kind: 'still', from: at(10), to: at(30), height: 1, fileId: 'logo', place: { x: 0, y: 0, width: 1, height: 1 }, ...to }],
    })
    const seen = await frames(still({}))
    const luma = (n: number, x: number, y: number) => seen[n][y * SIZE.width + x]
    // It is as wide as the frame and two lines less high, so that the picture is seen above it.
    expect([luma(20, 16, 18), luma(20, 48, 18), luma(20, 16, 0)]).toEqual([expect.closeTo((own(20) + 235) / 2, -0.5), own(20), own(20)])
    expect([luma(9, 16, 18), luma(30, 16, 18)]).toEqual([own(9), own(30)])
    const moves = await frames(still({ place: { x: 0, y: 0, width: 0.5, height: 1 }, placeTo: { x: 0.5, y: 0, width: 0.5, height: 1 } }))
    const bright = (n: number) => [4, 12, 36, 44].map((x) => moves[n][18 * SIZE.width + x] > own(n) + 20)
    expect(bright(10)).toEqual([true, true, false, false])
    expect(bright(29)).toEqual([false, false, true, true])
  })
})
