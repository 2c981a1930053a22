import { spawnSync } from 'node:child_process'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { gunzipSync } from 'node:zlib'
import { expect, test } from '@playwright/test'
import { CAMERAS, MASTER_SECONDS, makeNumbers, readFilm } from './numbers.ts'
import { readOtio } from './otio-reader.ts'
import { homeWithCopies, scratch, TestServer } from './server.ts'

const root = path.dirname(import.meta.dirname)

function pendolo(...args: string[]) {
  const { status, stdout, stderr } = spawnSync(process.execPath, [path.join(root, 'server', 'dist', 'cli.mjs'), ...args], {
    encoding: 'utf8',
    maxBuffer: 1 << 28,
    env: { ...process.env, PENDOLO_HOME: home },
  })
  return { status, stdout, stderr }
}

/** What the commands keep, such as analysed sounds, stays out of the user's own home. */
const home = scratch('cli')

/** Timecode recorded as sound, by an encoder that is not ours, as a wave file; from and to in seconds of the recording. */
function timecodeWave(name: string, from = 0, to = 5): string {
  const out = path.join(home, `${name}-${from}.wav`)
  const raw = gunzipSync(readFileSync(path.join(root, 'server', 'media', 'fixtures', `ltc-${name}.u8.gz`))).subarray(from * 48000, to * 48000)
  const { status } = spawnSync('ffmpeg', ['-v', 'error', '-y', '-f', 'u8', '-ar', '48000', '-ac', '1', '-i', 'pipe:0', '-c:a', 'pcm_s16le', out], {
    input: raw,
  })
  expect(status).toBe(0)
  return out
}

let folder: string
test.beforeAll(async () => {
  folder = await makeNumbers()
})

test('line-up places clips from the command line as JSON', () => {
  const clips = CAMERAS.map((c) => path.join(folder, c.folder, c.file))
  const { status, stdout } = pendolo('line-up', '--json', '--master', path.join(folder, 'desk', 'master-mix.wav'), ...clips)
  expect(status).toBe(0)
  const result = JSON.parse(stdout) as {
    clips: { file: string; placed: boolean; startSeconds: number; rate: number; verdict: string; method: string; confidence: number; why: string }[]
  }
  for (const [i, camera] of CAMERAS.entries()) {
    const clip = result.clips[i]
    expect(clip).toMatchObject({ file: clips[i], placed: true, verdict: 'sure', method: 'sound' })
    expect(Math.abs(clip.startSeconds - camera.start)).toBeLessThan(0.001)
    expect(Math.abs(clip.rate - 1 - camera.drift) * 1e6).toBeLessThan(15)
    expect(clip.confidence).toBeGreaterThan(0.5)
  }
})

test('probe prints timecode that is recorded as sound', () => {
  const { status, stdout } = pendolo('probe', '--json', timecodeWave('29.97-drop'))
  expect(status).toBe(0)
  const { timecode, audio } = JSON.parse(stdout) as { timecode: Record<string, unknown>; audio: { sampleRate: number } }
  expect(audio.sampleRate).toBe(48000)
  expect(timecode).toMatchObject({
    file: null,
    bwf: null,
    sound: { first: '00:00:58;10', rate: '30000/1001', dropFrame: true, framesRead: 120, framesExpected: 120, date: '2026-12-31' },
  })
})

test('line-up by timecode recorded as sound, near a place, and at a given speed', () => {
  const whole = timecodeWave('midnight')
  const part = timecodeWave('midnight', 1.5)
  const answer = (...args: string[]) => {
    const { status, stdout, stderr } = pendolo('line-up', '--json', ...args)
    expect(stderr).toBe('')
    expect(status).toBe(0)
    return (JSON.parse(stdout) as { clips: { placed: boolean; startSeconds: number | null; method: string; verdict: string; why: string }[] }).clips[0]
  }
  const placed = answer('--way', 'timecode', '--master', whole, part)
  expect(placed).toMatchObject({ placed: true, method: 'timecode', verdict: 'sure' })
  expect(Math.abs((placed.startSeconds ?? 0) - 1.5)).toBeLessThan(0.001)
  // Timecode of another count is not the same instant.
  expect(answer('--way', 'timecode', '--master', whole, timecodeWave('29.97'))).toMatchObject({
    placed: false,
    why: expect.stringContaining('the same label is not the same instant'),
  })

  const master = path.join(folder, 'desk', 'master-mix.wav')
  const a = path.join(folder, 'cam-a', 'a.mp4')
  expect(answer('--near', '2.5±1', '--master', master, a).startSeconds).toBeCloseTo(CAMERAS[0].start, 3)
  expect(answer('--way', 'sound', '--speed', '1.5', '--master', master, a).placed).toBe(false)
  expect(answer('--way', 'first-frame', '--master', master, a)).toMatchObject({ placed: false, verdict: 'check', method: 'first-frame', startSeconds: 0 })
  expect(pendolo('line-up', '--near', 'soon', '--master', master, a).stderr).toContain('67.5±3')
  expect(pendolo('line-up', '--way', 'magic', '--master', master, a).stderr).toContain('sound, timecode, light, time, first-frame')
})

test('a camera is placed by the one channel that heard the music', () => {
  const file = path.join(home, 'two-channels.mov')
  const left = 'anoisesrc=d=34:c=brown:a=0.9:seed=5,volume=2'
  const ffmpeg = ['-v', 'error', '-y', '-i', path.join(folder, 'cam-a', 'a.mp4'), '-f', 'lavfi', '-i', left, '-filter_complex']
  const graph = '[1:a]aformat=fltp:48000:mono[n];[0:a]aformat=fltp:48000:mono,volume=0.2[m];[n][m]join=inputs=2:channel_layout=stereo[a]'
  expect(spawnSync('ffmpeg', [...ffmpeg, graph, '-map', '0:v', '-map', '[a]', '-c:v', 'copy', '-c:a', 'pcm_s16le', file]).status).toBe(0)
  const { status, stdout } = pendolo('line-up', '--json', '--way', 'sound', '--master', path.join(folder, 'desk', 'master-mix.wav'), file)
  expect(status).toBe(0)
  const [clip] = (JSON.parse(stdout) as { clips: { placed: boolean; startSeconds: number; why: string }[] }).clips
  expect(clip.why).toContain('by its channel 2 alone')
  expect(clip.placed).toBe(true)
  expect(Math.abs(clip.startSeconds - CAMERAS[0].start)).toBeLessThan(0.001)
})

test('pulse prints beats and bars', () => {
  const { status, stdout } = pendolo('pulse', '--json', path.join(folder, 'desk', 'master-mix.wav'))
  expect(status).toBe(0)
  const { tempoBpm, beats, downbeats, metre, confidence, sections, hits } = JSON.parse(stdout) as {
    tempoBpm: number
    beats: number[]
    downbeats: number[]
    metre: number
    confidence: number
    sections: { start: number; end: number; name: string }[]
    hits: number[]
  }
  expect(metre).toBe(4)
  expect(confidence).toBeGreaterThan(0.3)
  expect(confidence).toBeLessThanOrEqual(1)
  expect(sections[0].start).toBe(0)
  expect(Math.abs((sections.at(-1)?.end ?? 0) - MASTER_SECONDS)).toBeLessThan(0.05)
  // Every drum is a hit, within five milliseconds of where the test put it.
  for (let t = 5; t < 30; t += 0.5) expect(Math.min(...hits.map((h) => Math.abs(h - t)))).toBeLessThan(0.005)
  expect(Math.abs(tempoBpm - 120)).toBeLessThan(1)
  const close = beats.filter((b) => Math.abs(b * 2 - Math.round(b * 2)) < 0.06)
  expect(close.length / beats.length).toBeGreaterThan(0.95)
  expect(downbeats.every((d) => beats.includes(d))).toBe(true)
})

test('what is wrong is said in plain words with an exit code', () => {
  const missing = pendolo('line-up', '--json', '--master', '/nowhere/x.wav', '/nowhere/y.mp4')
  expect(missing.status).not.toBe(0)
  expect(missing.stderr).toContain('/nowhere/x.wav does not exist')
  expect(pendolo('line-up').status).not.toBe(0)
  expect(pendolo('film', 'Nobody', '--out', '/tmp/x.mp4', '--home', '/nowhere').stderr).toContain('--home')
  for (const command of ['start', 'demo', 'line-up', 'probe', 'pulse', 'film', 'exchange'])
    expect(pendolo(command, '--help')).toMatchObject({ status: 0, stdout: expect.stringContaining('Usage') })
})

test('a film that cannot be made as asked is refused before anything is written', () => {
  const base = scratch('cli')
  const asked = (...options: string[]) => pendolo('film', 'Nobody', '--home', base, ...options)
  for (const [options, words] of [
    [['--out', path.join(base, 'not/there/x.mp4')], /there is no folder .*not\/there/],
    [['--out', base], /a film is an \.mp4 or a \.mov file/],
    [['--out', path.join(base, 'x.mkv')], /a film is an \.mp4 or a \.mov file/],
    [['--out', path.join(base, 'x.mp4'), '--rate', 'abc'], /one of these rates: 23\.976, 24, 25, 29\.97/],
    [['--out', path.join(base, 'x.mp4'), '--rate', '26'], /one of these rates/],
    [['--out', path.join(base, 'x.mp4'), '--size', '9x9'], /written like 1920x1080/],
    [['--out', path.join(base, 'x.mp4'), '--loudness', 'loud'], /a number of LUFS from -40 to -6/],
    // What fits is taken; then it is told that there is no such project.
    [['--out', path.join(base, 'x.mp4'), '--rate', '29.97', '--size', '640x360'], /there is no Pendolo data/],
  ] as const) {
    const { status, stderr } = asked(...options)
    expect([status, stderr]).toEqual([1, expect.stringMatching(words)])
    expect(stderr).not.toMatch(/^ +at /m)
  }
  expect(readdirSync(base)).toEqual([])
})

test('film and exchange work on a project without a running server', async () => {
  const server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Batch' })
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.api(`/projects/${id}/lineup`, {})
  await server.idle()
  const { doc } = await server.project<{ doc: { cuts: { id: string }[]; angles: { id: string }[] } }>(id)
  await server.api(`/projects/${id}/edits?label=cut`, {
    edits: [
      { type: 'settings', change: { rate: '25/1' } },
      { type: 'choose', cutId: doc.cuts[0].id, time: 0, choice: { angleId: doc.angles[1].id } },
      { type: 'choose', cutId: doc.cuts[0].id, time: 10 * 705_600_000, choice: { angleId: doc.angles[0].id } },
    ],
  })
  await server.kill()
  const film = path.join(server.home, 'out.mp4')
  const made = pendolo('film', 'batch', '--home', server.home, '--out', film, '--size', '320x180', '--loudness', '-20')
  expect(made.status).toBe(0)
  expect(made.stderr).toMatch(/100 % done/)
  expect(made.stderr).toMatch(/−(19\.9|20\.[01]) LUFS · range/)
  expect(made.stderr).not.toMatch(/object/)
  const shown = readFilm(film, 320, 180)
  expect(shown).toHaveLength(MASTER_SECONDS * 25)
  expect([shown[249]?.code, shown[250]?.code]).toEqual([2, 1])
  const otio = path.join(server.home, 'out.otio')
  expect(pendolo('exchange', 'Batch', '--home', server.home, '--format', 'otio', '--out', otio).status).toBe(0)
  const cut = readOtio(readFileSync(otio, 'utf8')).tracks.find((t) => t.name.startsWith('Cut'))
  // Where the second camera has stopped the other stands in.
  expect(cut?.clips.map((c) => [c.name, c.trackStart])).toEqual([
    ['b.mov', 0],
    ['a.mp4', 250],
    ['b.mov', 901],
  ])
  const edl = path.join(server.home, 'out.edl')
  expect(pendolo('exchange', id, '--home', server.home, '--format', 'edl', '--out', edl).status).toBe(0)
  expect(readFileSync(edl, 'utf8')).toMatch(/^001 {2}B/m)
  const wrong = pendolo('exchange', id, '--home', server.home, '--format', 'xyz', '--out', `${edl}2`)
  expect(wrong.status).not.toBe(0)
  expect(wrong.stderr).toContain('otio, edl')
  expect(existsSync(`${edl}2`)).toBe(false)
})
