import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { scratch, TestServer } from './server.ts'

const SECOND = 705_600_000
const [COLUMNS, ROWS, WIDTH, HEIGHT] = [8, 6, 960, 540]

let server: TestServer
let id: string

interface Doc {
  activeCutId: string
  angles: { id: string; name: string; look?: Record<string, number> }[]
  clips: Record<string, { id: string; fileId: string; angleId: string }>
}
const doc = async () => (await server.project<{ doc: Doc }>(id)).doc
const lookOf = async (name: string) => (await doc()).angles.find((a) => a.name === name)?.look

test.beforeAll(async () => {
  const folder = scratch('looks')
  const [column, row] = [`floor(X/${WIDTH / COLUMNS})`, `floor(Y/${HEIGHT / ROWS})`]
  const chart = `color=c=black:s=${WIDTH}x${HEIGHT}:r=25:d=8,format=gbrp,geq=r='24+${column}*28':g='30+${row}*36':b='28+mod(${column}*3+${row}*5,8)*27'`
  for (const name of ['gantry', 'aisle']) {
    mkdirSync(path.join(folder, name), { recursive: true })
    const codec = ['-pix_fmt', 'yuv420p', '-vf', 'scale=out_color_matrix=bt709:out_range=tv', '-colorspace', 'bt709', '-color_range', 'tv']
    execFileSync('ffmpeg', [
      ...['-v', 'error', '-y', '-f', 'lavfi', '-i', chart, ...codec, '-color_primaries', 'bt709', '-color_trc', 'bt709'],
      ...['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '6', path.join(folder, name, `${name}.mp4`)],
    ])
  }
  mkdirSync(path.join(folder, 'desk'), { recursive: true })
  execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', 'sine=frequency=220:duration=8', path.join(folder, 'desk', 'desk-mix.wav')])
  server = new TestServer(folder)
  await server.start()
  id = (await server.api<{ id: string }>('/projects', { name: 'Chart' })).id
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
  const { doc: gathered, files } = await server.project<{ doc: Doc; files: { id: string; name: string }[] }>(id)
  const clip = (name: string) => Object.values(gathered.clips).find((c) => files.find((f) => f.id === c.fileId)?.name === name) as Doc['clips'][string]
  const place = { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false }
  await server.api(`/projects/${id}/edits?label=placed`, {
    edits: [
      { type: 'setMaster', clipId: clip('desk-mix.wav').id },
      { type: 'place', by: 'hand', placements: { [clip('gantry.mp4').id]: place, [clip('aisle.mp4').id]: place }, loose: {} },
      { type: 'choose', cutId: gathered.activeCutId, time: 0, choice: { angleId: clip('gantry.mp4').angleId } },
      { type: 'choose', cutId: gathered.activeCutId, time: 4 * SECOND, choice: { angleId: clip('aisle.mp4').angleId } },
    ],
  })
})
test.afterAll(() => server?.kill())

type Colour = readonly number[]
/** Middles of all patches of what is drawn of an angle. */
const patches = (page: Page): Promise<Colour[]> =>
  page.evaluate(
    ([columns, rows]) => {
      const picture = document.querySelector<HTMLElement>('.picture[aria-label="Picture of the angle in the frame"]') as HTMLElement
      const canvas = document.querySelector<HTMLCanvasElement>(`.surface[data-surface="${picture.dataset.surface}"] canvas`) as HTMLCanvasElement
      const [box, all] = [picture.getBoundingClientRect(), canvas.getBoundingClientRect()]
      const scale = canvas.width / all.width
      const copy = document.createElement('canvas')
      copy.width = Math.round(box.width * scale)
      copy.height = Math.round(box.height * scale)
      const ctx = copy.getContext('2d') as CanvasRenderingContext2D
      ctx.drawImage(canvas, (all.left - box.left) * scale, (all.top - box.top) * scale)
      return Array.from({ length: columns * rows }, (_, i) => {
        const [x, y] = [((i % columns) + 0.5) / columns, (Math.floor(i / columns) + 0.5) / rows]
        return [...ctx.getImageData(Math.round(x * copy.width), Math.round(y * copy.height), 1, 1).data.slice(0, 3)]
      })
    },
    [COLUMNS, ROWS] as const,
  )

async function filmed(second: number): Promise<Colour[]> {
  await server.api(`/projects/${id}/film`, { width: WIDTH, height: HEIGHT, rate: '25/1' })
  await server.idle()
  const [job] = (await server.api<{ kind: string; result: { path: string } | null }[]>('/jobs')).filter((j) => j.kind === 'film')
  const args = [
    '-v',
    'error',
    '-ss',
    String(second),
    '-i',
    job.result?.path as string,
    '-frames:v',
    '1',
    '-vf',
    'scale=flags=accurate_rnd+full_chroma_int,format=rgb24',
    '-f',
    'rawvideo',
    'pipe:1',
  ]
  const bytes = execFileSync('ffmpeg', args, { maxBuffer: 2 ** 26 })
  return Array.from({ length: COLUMNS * ROWS }, (_, i) => {
    const [x, y] = [Math.round((((i % COLUMNS) + 0.5) / COLUMNS) * WIDTH), Math.round(((Math.floor(i / COLUMNS) + 0.5) / ROWS) * HEIGHT)]
    return [0, 1, 2].map((c) => bytes[3 * (y * WIDTH + x) + c])
  })
}
const apart = (a: Colour[], b: Colour[]) => {
  const all = a.flatMap((colour, i) => colour.map((x, c) => Math.abs(x - b[i][c])))
  return { mean: all.reduce((sum, d) => sum + d, 0) / all.length, most: Math.max(...all) }
}

test('an angle is corrected by numbers, seen at once as the film will have it, compared, given to another and taken back', async ({ page }) => {
  await page.goto(`${server.url}/${id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Gantry/ }).click()
  const look = page.getByRole('region', { name: 'Look of Gantry' })
  await expect.poll(async () => (await patches(page))[10][0]).toBeGreaterThan(20)
  const before = await patches(page)
  for (const [label, value] of [
    ['exposure of Gantry, stops', '0.5'],
    ['warmth of Gantry, %', '30'],
    ['contrast of Gantry, %', '115'],
    ['saturation of Gantry, %', '130'],
  ]) {
    await look.getByRole('spinbutton', { name: label }).fill(value)
    await look.getByRole('spinbutton', { name: label }).press('Enter')
  }
  await expect.poll(() => lookOf('Gantry')).toEqual({ exposure: 0.5, warmth: 0.3, contrast: 1.15, saturation: 1.3 })
  await expect.poll(async () => apart(await patches(page), before).mean).toBeGreaterThan(8)
  await page.waitForTimeout(500)
  const after = await patches(page)

  const film = await filmed(1)
  const found = apart(after, film)
  console.log(`a look in page and film: ${found.mean.toFixed(2)} of 255 apart on average, ${found.most} at most`)
  expect(found.mean).toBeLessThanOrEqual(1.5)
  expect(found.most).toBeLessThanOrEqual(6)
  // The other angle is as it was recorded.
  expect(apart(await filmed(6), before).mean).toBeLessThanOrEqual(1.5)

  // Held, it is as it was recorded; let go, corrected again.
  await page.keyboard.down('w')
  await expect.poll(async () => apart(await patches(page), before).most).toBeLessThanOrEqual(1)
  await page.keyboard.up('w')
  await expect.poll(async () => apart(await patches(page), after).most).toBeLessThanOrEqual(1)

  await look.getByRole('button', { name: 'Give this look to ▾' }).click()
  await page.locator('.ant-dropdown:visible').getByText('Aisle').click()
  await expect.poll(() => lookOf('Aisle')).toEqual({ exposure: 0.5, warmth: 0.3, contrast: 1.15, saturation: 1.3 })
  await page.keyboard.press('Control+z')
  await expect.poll(() => lookOf('Aisle')).toBeUndefined()
  await look.getByRole('button', { name: 'As recorded' }).click()
  await expect.poll(() => lookOf('Gantry')).toBeUndefined()
  await expect.poll(async () => apart(await patches(page), before).most).toBeLessThanOrEqual(1)
})
