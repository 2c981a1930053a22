import { execFile } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { promisify } from 'node:util'
import { expect, test } from '@playwright/test'
import { music } from '../core/lineup/testing.ts'
import { ANALYSIS_RATE } from '../core/signal/index.ts'
import { scratch, TestServer } from './server.ts'

/** What a card reader, two recorders and a photographer bring: so many files of recordings. */
const FILES = Number(process.env.PENDOLO_MIXED ?? 24)
const MASTER_SECONDS = 200
const CLIP_SECONDS = 9
const RATE = 48_000
const SECOND = 705_600_000
const run = promisify(execFile)

/** A recording as it was made: what device made it, and where it lies on the master. */
interface Made {
  readonly device: string
  readonly file: string
  readonly start: number
}

interface Kind {
  readonly device: string
  /** Of the n-th file, from 1. */
  readonly file: (n: number) => string
  readonly arguments?: readonly string[]
  /** Its files follow each other without a gap. */
  readonly spanned?: true
}

const n4 = (n: number) => String(n).padStart(4, '0')
const H264 = ['-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p', '-c:a', 'aac']
const nested = (i: number): Kind => ({ device: `nested ${i}`, file: (n) => `cam-${i}/C${n4(n)}.MP4` })
const flat = (i: number): Kind => ({ device: `flat ${i}`, file: (n) => `flat/cam${i}_${n4(n)}.mp4` })
const called = (model: string): Kind => ({
  device: `called ${model}`,
  file: (n) => `handed in/${model}-${n4(n)}.mov`,
  arguments: [...H264, '-movflags', 'use_metadata_tags', '-metadata', 'make=Lumen', '-metadata', `model=${model}`],
})
const KINDS: readonly Kind[] = [
  ...[1, 2, 3, 4, 5].map(nested),
  ...[7, 8, 9].map(flat),
  ...['K1', 'K2'].map(called),
  { device: 'spanned', file: (n) => `long/G${'ABCDEFGHIJKLMNOPQRSTUVWXYZ'[n - 1]}${String(n).padStart(2, '0')}0042.mp4`, spanned: true },
  {
    device: 'fields',
    file: (n) => `tape/PRIVATE/AVCHD/BDMV/STREAM/${String(n).padStart(5, '0')}.MTS`,
    arguments: ['-c:v', 'mpeg2video', '-flags', '+ildct+ilme', '-vf', 'interlace', '-pix_fmt', 'yuv420p', '-b:v', '900k', '-c:a', 'ac3', '-f', 'mpegts'],
  },
]

/** Sound at 48 kHz with some channels: the music on each, at another level. */
function wav(from: number, seconds: number, channels: number, master: Float32Array): Buffer {
  const frames = Math.round(seconds * RATE)
  const data = Buffer.alloc(44 + frames * channels * 2)
  data.write('RIFF', 0)
  data.writeUInt32LE(data.length - 8, 4)
  data.write('WAVEfmt ', 8)
  data.writeUInt32LE(16, 16)
  data.writeUInt16LE(1, 20)
  data.writeUInt16LE(channels, 22)
  data.writeUInt32LE(RATE, 24)
  data.writeUInt32LE(RATE * channels * 2, 28)
  data.writeUInt16LE(channels * 2, 32)
  data.writeUInt16LE(16, 34)
  data.write('data', 36)
  data.writeUInt32LE(frames * channels * 2, 40)
  for (let i = 0; i < frames; i++)
    for (let c = 0; c < channels; c++) {
      const value = (master[Math.round((from + i / RATE) * ANALYSIS_RATE)] ?? 0) * (0.3 + (0.5 * c) / channels)
      data.writeInt16LE(Math.round(Math.max(-1, Math.min(1, value)) * 32767), 44 + 2 * (i * channels + c))
    }
  return data
}

/** Makes all recordings below a folder, and what lies beside them. */
async function material(folder: string): Promise<{ made: Made[]; beside: string[]; stills: string[] }> {
  const master = music(MASTER_SECONDS, 11)
  const into = (name: string) => {
    const full = path.join(folder, name)
    mkdirSync(path.dirname(full), { recursive: true })
    return full
  }
  writeFileSync(into('desk/desk-mix.wav'), wav(0, MASTER_SECONDS, 2, master))
  const made: Made[] = []
  const each = Math.ceil(FILES / KINDS.length)
  for (const [k, kind] of KINDS.entries()) {
    const room = (MASTER_SECONDS - 20 - CLIP_SECONDS) / each
    for (let n = 1; n <= each; n++)
      made.push({ device: kind.device, file: kind.file(n), start: 3 + 0.37 * k + (n - 1) * (kind.spanned ? Math.min(room, CLIP_SECONDS) : room) })
  }
  const queue = [...made]
  const lane = async () => {
    for (let one = queue.shift(); one; one = queue.shift()) {
      const kind = KINDS.find((k) => k.device === one.device) as Kind
      const hue = KINDS.indexOf(kind) * 30
      await run('ffmpeg', [
        ...['-v', 'error', '-y', '-f', 'lavfi', '-i', `testsrc=size=128x72:rate=25:duration=${CLIP_SECONDS},hue=h=${hue}`],
        ...['-ss', String(one.start), '-t', String(CLIP_SECONDS), '-i', path.join(folder, 'desk/desk-mix.wav')],
        ...['-f', 'lavfi', '-i', `anoisesrc=amplitude=0.02:seed=${hue + 1}:duration=${CLIP_SECONDS}`],
        ...['-filter_complex', '[1:a]aecho=0.7:0.6:23:0.4[e];[e][2:a]amix=inputs=2:normalize=0[a]', '-map', '0:v', '-map', '[a]'],
        ...(kind.arguments ?? H264),
        into(one.file),
      ])
    }
  }
  await Promise.all([lane(), lane()])
  for (const [name, channels, from] of [
    ['recorder-8/take 1.wav', 8, 20],
    ['recorder-18/T001.wav', 18, 31.5],
  ] as const) {
    writeFileSync(into(name), wav(from, 40, channels, master))
    made.push({ device: path.dirname(name), file: name, start: from })
  }
  const stills = ['photos/IMG_0001.jpg', 'photos/IMG_0002.png', 'photos/poster.webp', 'photos/plan.tiff']
  for (const name of stills) await run('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', 'testsrc2=size=640x480', '-frames:v', '1', into(name)])
  writeFileSync(into('cam-1/C0999.MP4'), Buffer.alloc(90_000, 7))
  writeFileSync(into('cam-2/list.mp4'), '#EXTM3U\n#EXTINF:9,\nC0001.MP4\n')
  writeFileSync(into('cam-2/all.m3u8'), '#EXTM3U\n')
  writeFileSync(into('cam-3/C0001.XML'), '<x/>')
  await run('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', 'testsrc2=size=160x120', '-frames:v', '1', into('cam-3/C0001.jpg')])
  writeFileSync(into('tape/PRIVATE/AVCHD/BDMV/INDEX.BDM'), 'x')
  return {
    made,
    stills,
    beside: ['cam-1/C0999.MP4', 'cam-2/list.mp4', 'cam-2/all.m3u8', 'cam-3/C0001.XML', 'cam-3/C0001.jpg', 'tape/PRIVATE/AVCHD/BDMV/INDEX.BDM'],
  }
}

interface State {
  doc: {
    angles: { id: string; name: string }[]
    clips: Record<string, { id: string; fileId: string; angleId: string | null }>
    placements: Record<string, { start: number; rate: number; verdict: string }>
    masterClipId: string | null
  }
  files: { id: string; path: string; name: string; facts: { video: { fields?: string; still?: true } | null; audio: { channels: number } | null } }[]
}

let server: TestServer | undefined
test.afterEach(() => server?.kill())

test(`${FILES} mixed files are gathered and lined up in one go, each in its angle or told why not`, async () => {
  test.setTimeout(120_000 + FILES * 12_000)
  const folder = scratch('mixed')
  const { made, stills, beside } = await material(folder)
  server = new TestServer(folder)
  await server.start()
  const own = server
  const { id } = await own.api<{ id: string }>('/projects', { name: 'Mixed' })
  const report = await own.api<{ added: number; refused: { name: string; why: string }[]; leftOut: { name: string; why: string }[] }>(
    `/projects/${id}/gather`,
    {
      paths: [folder],
    },
  )
  expect(report.added).toBe(made.length + stills.length + 1)
  // Whatever was not added is named, each with its reason.
  const told = [...report.refused, ...report.leftOut]
  expect(told.map((t) => path.basename(t.name)).sort()).toEqual(beside.map((b) => path.basename(b)).sort())
  for (const { name, why } of told) expect(why, name).toMatch(/\w{3}/)

  const state = await own.project<State>(id)
  const fileAt = new Map(state.files.map((f) => [path.relative(folder, f.path), f]))
  const clipOf = (file: string) => Object.values(state.doc.clips).find((c) => c.fileId === fileAt.get(file)?.id)
  expect(clipOf('desk/desk-mix.wav')?.id).toBe(state.doc.masterClipId)
  const angleOfDevice = new Map<string, string>()
  for (const { device, file } of made) {
    const angleId = clipOf(file)?.angleId as string
    expect(angleId, file).toBeTruthy()
    const before = angleOfDevice.get(device) ?? angleId
    expect(angleId, `${file} of ${device}: ${state.doc.angles.map((a) => a.name)}`).toBe(before)
    angleOfDevice.set(device, before)
  }
  expect(new Set(angleOfDevice.values()).size, 'no two devices share an angle').toBe(angleOfDevice.size)
  expect(fileAt.get('recorder-18/T001.wav')?.facts.audio?.channels).toBe(18)
  for (const { file, device } of made) expect(Boolean(fileAt.get(file)?.facts.video?.fields), file).toBe(device === 'fields')
  const stillAngles = new Set(stills.map((s) => clipOf(s)?.angleId))
  expect(stillAngles.size).toBe(1)
  expect([...angleOfDevice.values()]).not.toContain([...stillAngles][0])

  await own.api(`/projects/${id}/lineup`, {})
  await own.idle()
  const { doc } = await own.project<State>(id)
  let sure = 0
  for (const { file, start } of made) {
    const place = doc.placements[clipOf(file)?.id ?? '']
    if (place?.verdict !== 'sure') continue
    sure++
    expect(Math.abs(place.start / SECOND - start), file).toBeLessThan(0.045)
  }
  console.log(`${sure} of ${made.length} sure`)
  expect(sure).toBeGreaterThanOrEqual(Math.ceil(0.95 * made.length))
})
