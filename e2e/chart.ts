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

/** Colours of cameras: three see patches, one colours without edges, so that it can be compared wherever it lies. */
const { width, height } = FRAME
const [column, row] = [`floor(X/${width / COLUMNS})`, `floor(Y/${height / ROWS})`]
const PATCHES = `r='24+${column}*28':g='30+${row}*36':b='28+mod(${column}*3+${row}*5,8)*27'`
const SLOPES = `r='40+170*X/W':g='50+150*Y/H':b='120+70*sin(X/110)*cos(Y/90)'`
/** The same patches as a camera records them that is set otherwise: brighter, warmer, with lighter shadows. */
const WARM = PATCHES.split(':')
  .map((one, i) => `${one[0]}='255*pow((${one.slice(3, -1)})/255,0.8)*${[1.0, 0.82, 0.6][i]}'`)
  .join(':')
/** Goes by to the left, by so much of its width with each picture; it comes round without a seam. */
const GOES_BY = `r='128+100*sin(2*PI*X/W)':g='128+90*cos(4*PI*X/W)*cos(Y/190)':b='128+80*sin(2*PI*X/W+1)'`
const EACH = 0.01
/** Somebody with soft edges before a cloth that is lit unevenly. */
const SOMEBODY = 'clip((150-hypot(X-480,(Y-330)/1.4))/20+0.5,0,1)'
const CLOTH = [
  [36, '160+30*sin(X/31)'],
  [158, '120+30*cos(Y/37)'],
  [72, '105+25*sin((X+Y)/47)'],
]
  .map(([cloth, own], i) => `${'rgb'[i]}='(1-${SOMEBODY})*${cloth}*(0.9+0.1*sin(X/190+Y/260))+${SOMEBODY}*(${own})'`)
  .join(':')
/** Cameras that all see colours without edges, some of them fine. */
export const GENTLE = {
  gantry: `r='128+60*sin(X/31)+50*sin(Y/53)':g='128+50*sin(X/71+1)+60*cos(Y/37)':b='128+55*cos((X+Y)/47)+50*sin(Y/91)'`,
  aisle: `r='128+70*cos(X/61)*sin(Y/43)+40*sin(X/23)':g='128+80*sin((X-Y)/57)':b='128+90*cos(X/83+Y/67)'`,
  roof: SLOPES,
  stalls: `r='150+60*sin(X/31)+40*sin(Y/53)':g='120+45*sin(X/71+1)+50*cos(Y/37)':b='90+40*cos((X+Y)/47)+40*sin(Y/91)'`,
  tram: GOES_BY,
  cloth: CLOTH,
}
const CAMERAS = { gantry: PATCHES, aisle: PATCHES, roof: SLOPES, stalls: WARM, tram: GOES_BY }

/** A server with a project of five cameras of eight seconds; the film shows the gantry, from 4 s on the aisle, from 6 s on the roof. */
export class Chart {
  readonly server: TestServer
  readonly id: string

  private constructor(server: TestServer, id: string) {
    this.server = server
    this.id = id
  }

  /**
   * @param cameras what they see; colours without edges can be compared wherever they lie, whatever light copies lose at edges
   * @param logo whether there is a still that one sees through, too
   */
  static async start(name: string, cameras: Readonly<Record<string, string>> = CAMERAS, logo = false): Promise<Chart> {
    const folder = scratch(name)
    const add = (camera: string, file: string, args: string[]) => {
      mkdirSync(path.join(folder, camera), { recursive: true })
      execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', ...args, path.join(folder, camera, file)])
    }
    const codec = ['-pix_fmt', 'yuv420p', '-vf', 'scale=out_color_matrix=bt709:out_range=tv', '-colorspace', 'bt709', '-color_range', 'tv']
    for (const [camera, colours] of Object.entries(cameras)) {
      const goes = camera === 'tram' ? `,scroll=horizontal=${EACH}` : ''
      const source = `color=c=black:s=${width}x${height}:r=25:d=0.04,format=gbrp,geq=${colours},loop=199:1${goes}`
      add(camera, `${camera}.mp4`, ['-i', source, ...codec, '-color_primaries', 'bt709', '-color_trc', 'bt709', '-preset', 'veryfast', '-crf', '6'])
    }
    if (logo) {
      const disc = `color=c=black:s=400x300:d=0.04,format=rgba,geq=r='40+X/3':g=180:b='220-Y/3':a='255*clip(90-hypot(X-200,Y-150),0,1)'`
      add('art', 'logo.png', ['-i', disc, '-frames:v', '1'])
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
    const clips = Object.keys(cameras).map((camera) => clip(`${camera}.mp4`))
    await chart.edit(
      { type: 'setMaster', clipId: clip('desk-mix.wav').id },
      { type: 'settings', change: { width, height } },
      { type: 'place', by: 'hand', placements: Object.fromEntries(clips.map((c) => [c.id, place])), loose: {} },
      ...[0, 4, 6].map((s, i) => ({ type: 'choose', cutId: doc.activeCutId, time: s * SECOND, choice: { angleId: clips[i].angleId } })),
    )
    return chart
  }

  /** The same server with a copy of the project. */
  async copy(): Promise<Chart> {
    const { id } = await this.server.api<{ id: string }>(`/projects/${this.id}/duplicate`, {})
    return new Chart(this.server, id)
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
    const [job] = (await this.server.api<{ kind: string; result: { path: string } | null }[]>(`/jobs?project=${this.id}`)).filter((j) => j.kind === 'film')
    return job.result?.path as string
  }
}

/** Red, green and blue of a frame of a film, at some size. */
export function filmed(film: string, frame: number, size = FRAME): Buffer {
  // At its own size only colour is brought to another one.
  const way = size.width === FRAME.width ? 'bicubic' : 'area'
  // Colour lies beside the left one of two pixels, as films have it (MPEG-2 siting).
  const filter = `select=eq(n\\,${frame}),scale=${size.width}:${size.height}:flags=${way}+accurate_rnd+full_chroma_int:in_h_chr_pos=0:in_v_chr_pos=128,format=rgb24`
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

/** How far colours are apart: on average, at most, and the shares of those that are more than four apart, and more than sixteen. */
export function apart(a: Iterable<number>, b: ArrayLike<number>): { mean: number; most: number; far: number; very: number } {
  let [sum, most, far, very, n] = [0, 0, 0, 0, 0]
  for (const x of a) {
    const d = Math.abs(x - b[n++])
    sum += d
    most = Math.max(most, d)
    if (d > 4) far++
    if (d > 16) very++
  }
  return { mean: sum / n, most, far: far / n, very: very / n }
}

/** To a frame of the film, by keys. */
export async function goTo(page: Page, frame: number): Promise<void> {
  await page.keyboard.press('Home')
  for (let i = 0; i < Math.floor(frame / 25); i++) await page.keyboard.press('Shift+ArrowRight')
  for (let i = 0; i < frame % 25; i++) await page.keyboard.press('ArrowRight')
}

/** Share of colours more than four apart from which on it is looked at a second time. */
const SHARP = 0.005

/**
 * What the page shows of the programme at a frame comes to differ from the film's by no more than so much.
 * @param most on average
 * @param far share of colours that are more than four apart
 * @param very share of those that are more than sixteen apart
 * @returns how it differs then
 */
export async function likeFilm(page: Page, film: string, frame: number, most: number, far = 1, very = 1): Promise<ReturnType<typeof apart>> {
  await goTo(page, frame)
  let wanted: Buffer | null = null
  let found = { mean: Number.POSITIVE_INFINITY, most: 255, far: 1, very: 1 }
  const like = async () => {
    const { data, ...size } = await drawn(page, 'Programme')
    wanted ??= filmed(film, frame, size)
    found = apart(data, wanted)
    return found.mean <= most && found.far <= far && found.very <= very
  }
  await expect
    .poll(like, { message: `frame ${frame}` })
    .toBe(true)
    .catch((error: unknown) => {
      throw new Error(`frame ${frame}: ${JSON.stringify(found)} apart`, { cause: error })
    })
  // A sharper picture may be on its way.
  if (found.far > SHARP) {
    const first = found
    await page.waitForTimeout(800)
    await like()
    if (found.far > first.far) found = first
  }
  console.log(`frame ${frame}, page and film: ${found.mean.toFixed(2)} of 255 apart on average, ${(100 * found.far).toFixed(1)} % more than 4`)
  return found
}

/** Chooses a range by drawing over the master with Shift, seconds. */
export async function chooseRange(page: Page, from: number, to: number): Promise<void> {
  const score = (await page.getByRole('group', { name: 'Score' }).boundingBox()) as { x: number; y: number; width: number }
  // The labels of its lanes stand left of it; it shows a little more than the event.
  const x = (seconds: number) => score.x + 150 + ((score.width - 150) * seconds) / 8.16
  await page.keyboard.down('Shift')
  await page.mouse.move(x(from), score.y + 66)
  await page.mouse.down()
  await page.mouse.move(x((from + to) / 2), score.y + 66)
  await page.mouse.move(x(to), score.y + 66)
  await page.mouse.up()
  await page.keyboard.up('Shift')
}
