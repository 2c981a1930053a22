import { expect, type Page, test } from '@playwright/test'
import { Chart, FRAME, GENTLE, likeFilm, SECOND } from './chart.ts'

let chart: Chart
test.beforeAll(async () => {
  chart = await Chart.start('alike', GENTLE, true)
})
test.afterAll(() => chart?.server.kill())

const at = (frame: number) => (frame * SECOND) / 25
const whole = { x: 0, y: 0, scale: 1, turn: 0 }

/** What is made of the chart, and the frames that are looked at. */
interface Project {
  readonly frames: readonly number[]
  /** Share of the colours of a frame that may be more than four apart: edges of borders and keys fall between pixels, and light copies lose a little. */
  readonly far?: number
  /** The same of all its frames together, where it is more than one in a hundred. */
  readonly together?: number
  readonly edits: (ids: Readonly<Record<string, string>>, cutId: string, table: { id: string; name: string }) => readonly object[]
}

/** A table that turns colours upside down and swaps two, as nobody would: what is not brought through it is told at once. */
const TABLE = Float32Array.from({ length: 33 ** 3 * 3 }, (_, i) => {
  const n = Math.floor(i / 3)
  const [r, g, b] = [n % 33, Math.floor(n / 33) % 33, Math.floor(n / 1089)].map((x) => x / 32)
  return [g ** 1.3, r, 1 - 0.8 * b][i % 3]
})

const choose = (cutId: string, frame: number, angleId: string) => ({ type: 'choose', cutId, time: at(frame), choice: { angleId } })
const layer = (cutId: string, one: object) => ({ type: 'layers', cutId, layers: [{ height: 1, ...one }] })
/** Another angle behind what is seen from 6 s on, where its colour is that of the key. */
const behind = (cutId: string, angleId: string, key: object) =>
  layer(cutId, { id: 'b', kind: 'background', from: at(150), to: at(200), height: -1, place: { x: 0, y: 0, width: 1, height: 1 }, angleId, key })
const middle = { x: 0.2, y: 0.3, width: 0.6, height: 0.4 }

const PROJECTS: Readonly<Record<string, Project>> = {
  'a look': {
    frames: [10, 99, 100, 149],
    edits: ({ gantry, aisle }) => [
      { type: 'seeAngle', angleId: gantry, look: { exposure: 0.3, warmth: 0.4, tint: -0.3, mids: -0.15, contrast: 1.1, saturation: 1.1 } },
      { type: 'seeAngle', angleId: aisle, look: { exposure: -0.8, saturation: 0.2 } },
    ],
  },
  'curves, a vignette, and sharper or softer pictures': {
    frames: [10, 120, 170],
    edits: ({ gantry, aisle, roof }) => [
      {
        type: 'seeAngle',
        angleId: gantry,
        look: {
          sharpness: 0.8,
          curves: {
            all: [
              [0, 0.1],
              [0.4, 0.3],
              [1, 0.95],
            ],
            red: [
              [0, 0],
              [0.5, 0.6],
              [1, 1],
            ],
          },
        },
      },
      { type: 'seeAngle', angleId: aisle, look: { sharpness: -0.6 } },
      { type: 'seeAngle', angleId: roof, look: { vignette: { amount: 0.8, x: 0.4, y: 0.6, size: 0.2, soft: 0.6 }, mids: -0.3 } },
    ],
  },
  'a table of a film stock': {
    frames: [10, 170],
    edits: ({ gantry, roof }, _, input) => [
      { type: 'seeAngle', angleId: gantry, look: { input } },
      { type: 'seeAngle', angleId: roof, look: { input, exposure: 0.3, contrast: 0.9 } },
    ],
  },
  'a framing': {
    frames: [10, 120, 170],
    edits: ({ gantry, aisle, roof }) => [
      { type: 'seeAngle', angleId: gantry, cutout: { ...whole, x: -0.1, scale: 0.75 } },
      { type: 'seeAngle', angleId: aisle, cutout: { ...whole, mirrored: true, crop: { left: 0.1, top: 0, right: 0.2, bottom: 0.1 } } },
      { type: 'seeAngle', angleId: roof, cutout: { ...whole, scale: 1.7, turn: 20, y: 0.1 } },
    ],
  },
  'a move, and looks that change': {
    frames: [150, 157, 175, 199, 60],
    edits: ({ gantry, roof }) => [
      {
        type: 'exceptions',
        exceptions: [{ id: 'm', angleId: roof, from: at(150), to: at(200), cutout: whole, cutoutTo: { ...whole, scale: 2, x: 0.3, turn: 8 } }],
      },
      {
        type: 'exceptions',
        exceptions: [{ id: 'd', angleId: gantry, from: at(20), to: at(90), look: { exposure: -0.5 }, lookTo: { exposure: 0.7, warmth: 0.6 } }],
      },
    ],
  },
  'dissolves and dips': {
    frames: [0, 5, 90, 100, 108, 140, 150, 156, 195],
    edits: (_, cutId) => [
      { type: 'transition', cutId, time: at(100), transition: { kind: 'dissolve', length: at(30) } },
      { type: 'transition', cutId, time: at(150), transition: { kind: 'dip', length: at(26) } },
      { type: 'endFades', cutId, fadeIn: at(20), fadeOut: at(15) },
    ],
  },
  insets: {
    frames: [20, 60, 92, 170],
    edits: ({ roof, stalls, tram }, cutId) => [
      layer(cutId, {
        id: 'i',
        kind: 'inset',
        from: at(15),
        to: at(95),
        place: { x: 0.6, y: 0.5, width: 0.35, height: 0.4 },
        angleId: roof,
        edge: { round: 0.1, border: { width: 0.006, colour: '#f3ead7' }, shadow: 0.6 },
        fadeIn: at(10),
        fadeOut: at(10),
      }),
      layer(cutId, {
        id: 'j',
        kind: 'inset',
        from: at(155),
        to: at(200),
        place: { x: 0.1, y: 0.1, width: 0.225, height: 0.4 },
        angleId: tram,
        edge: { round: 0.5 },
      }),
      { type: 'seeAngle', angleId: stalls, look: { exposure: -0.5 } },
    ],
  },
  'a logo over all, and a still that moves': {
    frames: [10, 60, 120, 155, 170, 190],
    edits: ({ logo }, cutId) => [
      layer(cutId, { id: 'l', kind: 'still', from: at(0), to: at(200), place: { x: 0.8, y: 0.05, width: 0.16, height: 0.16 }, fileId: logo }),
      layer(cutId, {
        id: 'm',
        kind: 'still',
        from: at(50),
        to: at(180),
        place: { x: 0.1, y: 0.1, width: 0.6, height: 0.6 },
        placeTo: { x: 0.2, y: 0, width: 0.9, height: 0.9 },
        fileId: logo,
        fadeIn: at(20),
        fadeOut: at(20),
      }),
    ],
  },
  'a background behind a cloth, before which somebody stands': {
    frames: [155, 180],
    edits: ({ tram, cloth }, cutId) => [choose(cutId, 150, cloth), behind(cutId, tram, { colour: '#249e48', tolerance: 0.65, softness: 0.6, spill: 1 })],
  },
  // Nearly all of it is half seen: what a light copy loses, and that films have colour at half the size, is seen everywhere.
  'a background behind colours that come and go': {
    far: 0.05,
    together: 0.04,
    frames: [155, 180],
    edits: ({ tram }, cutId) => [behind(cutId, tram, { colour: '#5ac878', tolerance: 0.3, softness: 0.2, spill: 0.6 })],
  },
  titles: {
    frames: [14, 40, 63, 110, 130, 160, 190],
    far: 0.03,
    together: 0.02,
    edits: (_, cutId) => [
      layer(cutId, {
        id: 't',
        kind: 'title',
        from: at(10),
        to: at(70),
        place: middle,
        text: 'Depot Night\nthe last tram',
        title: { letters: 0.1, colour: '#ffe9b0', align: 'center', box: { colour: '#102030', share: 0.6 } },
        fadeIn: at(12),
        fadeOut: at(12),
      }),
      layer(cutId, {
        id: 's',
        kind: 'title',
        from: at(100),
        to: at(145),
        place: middle,
        text: 'Signal box',
        title: { letters: 0.08, colour: '#ffffff', align: 'left', bold: true, slides: true },
        fadeIn: at(15),
        fadeOut: at(15),
      }),
      layer(cutId, {
        id: 'r',
        kind: 'title',
        from: at(150),
        to: at(200),
        place: { x: 0.15, y: 0, width: 0.7, height: 1 },
        text: Array.from({ length: 14 }, (_, i) => `Driver ${i + 1}`).join('\n'),
        title: { letters: 0.06, colour: '#ffffff', align: 'center', rolls: true },
      }),
    ],
  },
  'slower, faster and frozen pictures': {
    frames: [0, 24, 25, 40, 74, 75, 99, 120, 149, 175, 199],
    edits: ({ tram }, cutId) => [
      ...[0, 100, 150].map((frame) => choose(cutId, frame, tram)),
      {
        type: 'exceptions',
        exceptions: [
          { id: 'slow', angleId: tram, from: at(25), to: at(75), pace: { start: 0.4, end: 0.4 } },
          { id: 'frozen', angleId: tram, from: at(100), to: at(125), pace: { start: 0, end: 0 } },
          { id: 'ramp', angleId: tram, from: at(125), to: at(175), pace: { start: 2, end: 0.25 } },
        ],
      },
    ],
  },
  'slower pictures that give way to each other, framed, with a look, in an inset and in a dissolve': {
    frames: [26, 37, 74, 97, 103, 120, 131, 160, 177],
    edits: ({ tram, roof }, cutId) => [
      ...[0, 150].map((frame) => choose(cutId, frame, tram)),
      choose(cutId, 100, roof),
      {
        type: 'exceptions',
        exceptions: [
          { id: 'slow', angleId: tram, from: at(25), to: at(75), pace: { start: 0.3, end: 0.3, blends: true }, look: { exposure: 0.4 } },
          { id: 'slower', angleId: tram, from: at(75), to: at(140), pace: { start: 0.4, end: 0.1, blends: true } },
          { id: 'framed', angleId: tram, from: at(150), to: at(200), pace: { start: 0.3, end: 0.3, blends: true }, cutout: { ...whole, scale: 1.4, turn: 5 } },
        ],
      },
      { type: 'transition', cutId, time: at(100), transition: { kind: 'dissolve', length: at(20) } },
      layer(cutId, { id: 'i', kind: 'inset', from: at(112), to: at(140), place: { x: 0.6, y: 0.5, width: 0.35, height: 0.4 }, angleId: tram }),
    ],
  },
}

/** The programme alone, as large as the film. */
async function openLarge(page: Page, project: Chart): Promise<void> {
  await page.addInitScript(() => localStorage.setItem('pendolo.stage', JSON.stringify({ shown: 'programme', height: 0.8 })))
  let size = { width: 1400, height: 900 }
  await page.setViewportSize(size)
  await page.goto(`${project.server.url}/${project.id}/switch`)
  const picture = page.locator('.picture[aria-label="Programme"]')
  for (let n = 0; n < 8; n++) {
    const box = await picture.boundingBox()
    const off = FRAME.height - Math.round(box?.height ?? 0)
    if (off === 0) break
    size = { ...size, height: size.height + Math.sign(off) * Math.max(1, Math.round(Math.abs(off) / 0.9)) }
    await page.setViewportSize(size)
    await page.waitForTimeout(200)
  }
  expect(Math.round((await picture.boundingBox())?.height ?? 0)).toBe(FRAME.height)
}

/** What a graphics card would draw, the same programs draw here without one. */
const BY_CARD = ['a look', 'a table of a film stock', 'a move, and looks that change']

for (const [name, { frames, far = 0.02, together = 0.01, edits }, by] of Object.entries(PROJECTS).flatMap(([name, project]) => [
  [name, project, ''] as const,
  ...(BY_CARD.includes(name) ? [[name, project, 'card'] as const] : []),
]))
  test(`page and film show the same: ${name}${by ? ', drawn as by a graphics card' : ''}`, async ({ page }) => {
    if (by) await page.addInitScript(() => localStorage.setItem('pendolo.drawing', 'card'))
    const project = await chart.copy()
    const doc = await project.doc()
    const ids = Object.fromEntries(doc.angles.map((a) => [a.name.toLowerCase(), a.id]))
    const { files } = await chart.server.project<{ files: { id: string; name: string }[] }>(project.id)
    ids.logo = files.find((f) => f.name === 'logo.png')?.id ?? ''
    const { id } = await chart.server.api<{ id: string }>('/tables', { values: Buffer.from(TABLE.buffer).toString('base64') })
    await project.edit(...edits(ids, doc.activeCutId, { id, name: 'upside down' }))
    const film = await project.film()
    await openLarge(page, project)
    // How a browser makes red, green and blue of a picture is its own affair; where it does so, colours lie a little further apart.
    const [mean, beyond] = by ? [2.5, 0.2] : [1.5, far]
    let sum = 0
    for (const frame of frames) sum += (await likeFilm(page, film, frame, mean, beyond, 0.02)).far
    if (!by) expect(sum / frames.length).toBeLessThanOrEqual(together)
  })
