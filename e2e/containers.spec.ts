import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { look } from './look.ts'
import { picture, type Read, readFilm } from './numbers.ts'
import { scratch, TestServer } from './server.ts'

/** A camera's file of a kind that is easily read wrong: how it is written, and when each of its numbered pictures is shown. */
interface Kind {
  readonly file: string
  readonly rate: string
  readonly args: readonly string[]
  readonly filter?: string
  /** Written anew from a first file, which stands where it says ITSELF. */
  readonly again?: readonly string[]
  /** Clip seconds of picture n; null where it is not in the file. */
  readonly time: (n: number) => number | null
}

const COUNT = 330
const NTSC = 30000 / 1001
const WILD = (n: number) => (n >= 100 && n < 160 ? null : n / 30 + (n % 3 === 2 ? 0.011 : 0))
const wild = {
  rate: '30',
  filter: "select='not(between(n,100,159))',settb=1/90000,setpts='PTS+if(eq(mod(round(PTS*TB*30),3),2),0.011/TB,0)'",
}
const asTheyCome = ['-fps_mode', 'passthrough', '-enc_time_base', '1/90000']
const h264 = ['-c:v', 'libx264', '-preset', 'fast', '-crf', '16']
const mpeg2 = ['-c:v', 'mpeg2video', '-q:v', '2']

const KINDS: readonly Kind[] = [
  { file: 'long-groups.mp4', rate: '25', args: [...h264, '-g', '300', '-bf', '3'], time: (n) => n / 25 },
  { file: 'card.ts', rate: '25', args: [...h264, '-g', '120', '-bf', '3'], time: (n) => n / 25 },
  { file: 'open.mts', rate: '30000/1001', args: [...h264, '-x264-params', 'open-gop=1:keyint=60:bframes=3', '-f', 'mpegts'], time: (n) => n / NTSC },
  { file: 'disc.mpg', rate: '25', args: [...mpeg2, '-g', '50', '-bf', '2'], time: (n) => n / 25 },
  { file: 'shoulder.mxf', rate: '25', args: [...mpeg2, '-bf', '2'], time: (n) => n / 25 },
  { file: 'old.avi', rate: '30', args: ['-c:v', 'mjpeg', '-q:v', '3', '-pix_fmt', 'yuvj420p'], time: (n) => n / 30 },
  // Matroska counts in milliseconds; what lies on the grid is meant to.
  {
    file: 'phone.mkv',
    ...wild,
    args: [...h264, ...asTheyCome],
    time: (n) => (n % 3 === 2 && WILD(n) !== null ? Math.round((n / 30 + 0.011) * 1000) / 1000 : WILD(n)),
  },
  { file: 'phone.mp4', ...wild, args: [...h264, ...asTheyCome, '-video_track_timescale', '90000'], time: WILD },
  {
    file: 'trimmed.mp4',
    rate: '25',
    args: [...h264, '-g', '250'],
    again: ['-ss', '1.52', '-i', 'ITSELF', '-c', 'copy'],
    time: (n) => (n < 38 ? null : (n - 38) / 25),
  },
  { file: 'late.mov', rate: '25', args: [...h264, ...asTheyCome], filter: 'settb=1/90000,setpts=PTS+0.32/TB', time: (n) => n / 25 + 0.32 },
  { file: 'tape.mpg', rate: '25', args: [...mpeg2, '-flags', '+ildct+ilme', '-top', '1'], filter: 'setfield=tff', time: (n) => n / 25 },
  {
    file: 'overhead.mp4',
    rate: '24000/1001',
    args: [...h264],
    filter: 'hflip,vflip',
    again: ['-i', 'ITSELF', '-c', 'copy', '-metadata:s:v', 'rotate=180'],
    time: (n) => (n * 1001) / 24000,
  },
]
const SECOND = 705_600_000
/** Where clip second 0 of each lies on the master: on no frame of anything. */
const startOf = (i: number) => Math.round((0.2137 + 0.0771 * i) * SECOND)
const folderOf = (i: number) => `cam-${String.fromCharCode(97 + i)}`
const angleOf = (i: number) => `Cam ${String.fromCharCode(97 + i)}`
const FROM = 2
const TO = 9

/** The number that is seen of a camera at a time of the master: that of the last picture whose time has come. */
function wanted(i: number, master: number): number {
  const t = master - startOf(i)
  let found = -1
  for (let n = 0; n < COUNT; n++) {
    const seconds = KINDS[i].time(n)
    if (seconds !== null && Math.round(seconds * SECOND) <= t) found = n
  }
  return found
}

function make(folder: string): void {
  const raw = ['-f', 'rawvideo', '-pix_fmt', 'gray', '-s', '320x180']
  for (const [i, { file, rate, args, filter = 'null', again }] of KINDS.entries()) {
    const input = Buffer.concat(Array.from({ length: COUNT }, (_, n) => picture(i, n)))
    const into = path.join(folder, folderOf(i))
    mkdirSync(into, { recursive: true })
    const out = path.join(into, file)
    const first = again ? path.join(scratch('first'), file) : out
    const format = args.includes('-pix_fmt') ? [] : ['-pix_fmt', 'yuv420p']
    execFileSync('ffmpeg', ['-v', 'error', '-y', ...raw, '-framerate', rate, '-i', 'pipe:0', ...args, '-vf', filter, ...format, first], { input })
    if (again) execFileSync('ffmpeg', ['-v', 'error', '-y', ...again.map((a) => (a === 'ITSELF' ? first : a)), out])
  }
}

/** As in every run of this test: a made-up order of numbers from 0 to 1. */
function seeded(seed: number): () => number {
  let a = seed
  return () => {
    a = (a * 1_103_515_245 + 12_345) % 2 ** 31
    return a / 2 ** 31
  }
}

interface Job {
  id: string
  kind: string
  state: string
  result: { path: string } | null
}

test.describe.configure({ mode: 'serial' })
let server: TestServer
let id: string
let folder: string
/** Cuts by time, flicks, and the camera that each goes to. */
let cuts: { time: number; camera: number }[] = []

test.beforeAll(async () => {
  folder = scratch('containers')
  make(folder)
  const desk = path.join(folder, 'desk')
  mkdirSync(desk)
  execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', 'sine=frequency=330:duration=12', path.join(desk, 'desk.wav')])
  server = new TestServer(folder)
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Containers' }))
})
test.afterAll(() => server?.kill())

/** Makes a film at a rate and tells each of its pictures that is not the right one. */
async function wrongPictures(rate: string): Promise<string[]> {
  const { jobId } = await server.api<{ jobId: string }>(`/projects/${id}/film`, { width: 320, height: 180, rate })
  const done = async () => (await server.api<Job[]>(`/jobs?project=${id}`)).find((j) => j.id === jobId)
  await expect.poll(async () => (await done())?.state, { timeout: 120_000 }).toBe('done')
  const pictures = readFilm((await done())?.result?.path as string, 320, 180)
  const [num, den] = rate.split('/').map(Number)
  const frame = (SECOND * den) / num
  const first = Math.round((FROM * SECOND) / frame)
  expect(Math.abs(pictures.length - ((TO - FROM) * num) / den)).toBeLessThanOrEqual(1)
  return pictures.flatMap((read, k) => {
    const t = (first + k) * frame
    // A cut lies at the nearest frame of the film; which of the two is seen just there is asked elsewhere.
    const near = cuts.filter((c) => Math.abs(c.time - t) <= frame).map((c) => c.camera)
    const at = cuts.findLast((c) => c.time <= t)?.camera as number
    const before = cuts.findLast((c) => c.time < t - frame)?.camera as number
    return isRight(read, [at, before, ...near], t) ? [] : [`${k} at ${t / SECOND}: ${JSON.stringify(read)}, wanted ${at}: ${wanted(at, t)}`]
  })
}

const isRight = (read: Read | null, cameras: readonly number[], t: number) =>
  read !== null && cameras.includes(read.code) && read.frame === wanted(read.code, t)

test('films of awkward files, cut at a hundred awkward places, show the right pictures before copies are made and after', async () => {
  test.setTimeout(420_000)
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  const state = await server.project<{
    doc: { clips: Record<string, { fileId: string; angleId: string | null }>; angles: { id: string; name: string }[]; cuts: { id: string }[] }
    files: { id: string; name: string }[]
  }>(id)
  expect(state.doc.angles.map((a) => a.name).sort()).toEqual(KINDS.map((_, i) => angleOf(i)))
  const clipOf = (i: number) => Object.keys(state.doc.clips).find((c) => state.doc.angles.find((a) => a.id === state.doc.clips[c].angleId)?.name === angleOf(i))
  const place = (i: number) => ({ start: startOf(i), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false })
  const r = seeded(5)
  cuts = Array.from({ length: 100 }, (_, n) => ({
    time: Math.round((FROM + ((TO - FROM) * (n + 0.3 * r())) / 100) * 25) * (SECOND / 25),
    camera: (n * 5) % KINDS.length,
  }))
  cuts[0].time = FROM * SECOND
  const angle = (i: number) => state.doc.angles.find((a) => a.name === angleOf(i))?.id
  await server.api(`/projects/${id}/edits?label=cut`, {
    edits: [
      { type: 'settings', change: { rate: '25/1', width: 320, height: 180 } },
      { type: 'place', by: 'hand', placements: Object.fromEntries(KINDS.map((_, i) => [clipOf(i), place(i)])), loose: {} },
      { type: 'keep', start: FROM * SECOND, end: TO * SECOND },
      ...cuts.map((c) => ({ type: 'choose', cutId: state.doc.cuts[0].id, time: c.time, choice: { angleId: angle(c.camera) } })),
    ],
  })
  for (const rate of ['25/1', '30000/1001']) expect(await wrongPictures(rate)).toEqual([])
  await server.idle()
  for (const rate of ['25/1', '30000/1001']) expect(await wrongPictures(rate)).toEqual([])
})

test('the wall shows the same pictures wherever the playhead stands', async ({ page }) => {
  await page.goto(`${server.url}/${id}/switch`)
  await expect(page.getByRole('button', { name: /Angle 1,/ })).toBeVisible()
  await page.keyboard.press('Shift+Home')
  let frames = 0
  const wrong: string[] = []
  for (const to of [51, 84, 99, 113, 140, 176, 212]) {
    for (; frames + 25 <= to; frames += 25) await page.keyboard.press('Shift+ArrowRight')
    for (; frames < to; frames++) await page.keyboard.press('ArrowRight')
    const t = (to / 25) * SECOND
    for (const [i, { file }] of KINDS.entries()) {
      const shown = async () => (await look(page, `Picture of ${angleOf(i)}`)).read
      await expect
        .poll(async () => isRight(await shown(), [i], t), { timeout: 4000 })
        .toBe(true)
        .catch(async () => wrong.push(`${file} at ${to / 25}: ${JSON.stringify(await shown())}, wanted ${wanted(i, t)}`))
    }
  }
  expect(wrong).toEqual([])
})
