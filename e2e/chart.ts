import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page } from '@playwright/test'
import { pixelsOf } from './pixels.ts'
import { scratch, TestServer } from './server.ts'

export const SECOND = 705_600_000
export const FRAME = { width: 960, height: 540 }
/** Patches of the charts. */
export const [COLUMNS, ROWS] = [8, 6]
export const RGB = [0, 1, 2]

export interface ChartDoc {
  activeCutId: string
  angles: { id: string; name: string; look?: Record<string, number>; cutout?: Record<string, unknown> }[]
  clips: Record<string, { id: string; fileId: string; angleId: string }>
  exceptions: Record<string, { id: string; from: number; to: number; look?: object; cutout?: object; cutoutTo?: object }>
}

/** Colours of cameras: two see patches, one colours without edges, so that it can be compared wherever it lies. */
const { width, height } = FRAME
const [column, row] = [`floor(X/${width / COLUMNS})`, `floor(Y/${height / ROWS})`]
const PATCHES = `r='24+${column}*28':g='30+${row}*36':b='28+mod(${column}*3+${row}*5,8)*27'`
const SLOPES = `r='40+170*X/W':g='50+150*Y/H':b='120+70*sin(X/110)*cos(Y/90)'`
const CAMERAS = { gantry: PATCHES, aisle: PATCHES, roof: SLOPES }

/** A server with a project of three cameras of eight seconds; the film shows the gantry, from 4 s on the aisle, from 6 s on the roof. */
export class Chart {
  readonly server: TestServer
  readonly id: string

  private constructor(server: TestServer, id: string) {
    this.server = server
    this.id = id
  }

  static async start(name: string): Promise<Chart> {
    const folder = scratch(name)
    const add = (camera: string, file: string, args: string[]) => {
      mkdirSync(path.join(folder, camera), { recursive: true })
      execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', ...args, path.join(folder, camera, file)])
    }
    const codec = ['-pix_fmt', 'yuv420p', '-vf', 'scale=out_color_matrix=bt709:out_range=tv', '-colorspace', 'bt709', '-color_range', 'tv']
    for (const [camera, colours] of Object.entries(CAMERAS)) {
      const source = `color=c=black:s=${width}x${height}:r=25:d=0.04,format=gbrp,geq=${colours},loop=199:1`
      add(camera, `${camera}.mp4`, ['-i', source, ...codec, '-color_primaries', 'bt709', '-color_trc', 'bt709', '-preset', 'veryfast', '-crf', '6'])
    }
    add('desk', 'desk-mix.wav', ['-i', 'sine=frequency=220:duration=8'])
    const server = new TestServer(folder)
    await server.start()
    const { id } = await server.api<{ id: string }>('/projects', { name: 'Chart' })
    const chart = new Chart(server, id)
    await server.api(`/projects/${id}/gather`, { paths: [folder] })
    await server.idle()
    const { doc, files } = await server.project<{ doc: ChartDoc; files: { id: string; name: string }[] }>(id)
    const clip = (file: string) => Object.values(doc.clips).find((c) => files.find((f) => f.id === c.fileId)?.name === file) as ChartDoc['clips'][string]
    const place = { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false }
    const cameras = Object.keys(CAMERAS).map((camera) => clip(`${camera}.mp4`))
    await chart.edit(
      { type: 'setMaster', clipId: clip('desk-mix.wav').id },
      { type: 'settings', change: { width, height } },
      { type: 'place', by: 'hand', placements: Object.fromEntries(cameras.map((c) => [c.id, place])), loose: {} },
      ...cameras.map(({ angleId }, i) => ({ type: 'choose', cutId: doc.activeCutId, time: [0, 4, 6][i] * SECOND, choice: { angleId } })),
    )
    return chart
  }

  async edit(...edits: object[]): Promise<void> {
    await this.server.api(`/projects/${this.id}/edits?label=made`, { edits })
  }

  async doc(): Promise<ChartDoc> {
    return (await this.server.project<{ doc: ChartDoc }>(this.id)).doc
  }

  async angle(name: string): Promise<ChartDoc['angles'][number] | undefined> {
    return (await this.doc()).angles.find((a) => a.name === name)
  }

  /** Makes the film. @returns its path */
  async film(): Promise<string> {
    await this.server.api(`/projects/${this.id}/film`, { ...FRAME, rate: '25/1' })
    await this.server.idle()
    const [job] = (await this.server.api<{ kind: string; result: { path: string } | null }[]>('/jobs')).filter((j) => j.kind === 'film')
    return job.result?.path as string
  }
}

/** Red, green and blue of a frame of a film, at some size. */
export function filmed(film: string, frame: number, size = FRAME): Buffer {
  const filter = `select=eq(n\\,${frame}),scale=${size.width}:${size.height}:flags=area+accurate_rnd+full_chroma_int,format=rgb24`
  return execFileSync('ffmpeg', ['-v', 'error', '-i', film, '-vf', filter, '-frames:v', '1', '-f', 'rawvideo', 'pipe:1'], { maxBuffer: 2 ** 26 })
}

/** Red, green and blue of what is drawn of a picture. */
export const drawn = (page: Page, label: string) => pixelsOf(page, label, RGB)

export type Colour = readonly number[]
/** Middles of all patches of a picture. */
export const patches = (data: Buffer, size: { width: number; height: number }): Colour[] =>
  Array.from({ length: COLUMNS * ROWS }, (_, i) => {
    const [x, y] = [Math.round((((i % COLUMNS) + 0.5) / COLUMNS) * size.width), Math.round(((Math.floor(i / COLUMNS) + 0.5) / ROWS) * size.height)]
    return RGB.map((c) => data[3 * (y * size.width + x) + c])
  })

/** How far colours are apart: on average, at most, and the share of those that are more than four apart. */
export function apart(a: Iterable<number>, b: ArrayLike<number>): { mean: number; most: number; far: number } {
  let [sum, most, far, n] = [0, 0, 0, 0]
  for (const x of a) {
    const d = Math.abs(x - b[n++])
    sum += d
    most = Math.max(most, d)
    if (d > 4) far++
  }
  return { mean: sum / n, most, far: far / n }
}

/** To a frame of the film, by keys. */
export async function goTo(page: Page, frame: number): Promise<void> {
  await page.keyboard.press('Home')
  for (let i = 0; i < Math.floor(frame / 25); i++) await page.keyboard.press('Shift+ArrowRight')
  for (let i = 0; i < frame % 25; i++) await page.keyboard.press('ArrowRight')
}

/** What the page shows of the programme at a frame comes to differ from the film's by no more than so much on average. @returns how it differs then */
export async function likeFilm(page: Page, film: string, frame: number, most: number): Promise<ReturnType<typeof apart>> {
  await goTo(page, frame)
  let wanted: Buffer | null = null
  let found = { mean: Number.POSITIVE_INFINITY, most: 255, far: 1 }
  const mean = async () => {
    const { data, ...size } = await drawn(page, 'Programme')
    wanted ??= filmed(film, frame, size)
    found = apart(data, wanted)
    return found.mean
  }
  await expect.poll(mean, { message: `frame ${frame}` }).toBeLessThanOrEqual(most)
  console.log(`frame ${frame}, page and film: ${found.mean.toFixed(2)} of 255 apart on average, ${(100 * found.far).toFixed(1)} % more than 4`)
  return found
}
