import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { lookTable, tableText } from '../core/picture/index.ts'
import { type Edit, isMaster } from '../core/project/index.ts'
import { FLICKS_PER_SECOND, flicks } from '../core/time/index.ts'
import { median, type State } from './big.ts'
import { CLI, withServer } from './server.ts'

const SIZE = { width: 1280, height: 720 }
const SECONDS = 60
const CAMERAS = 3
/** The film's range, s, and how many stretches it has. */
const FROM = 20
const TO = 28
const CUTS = 24
/** So often each is made, by turns; the middle counts. */
const TIMES = 3

const camera = (n: number) => path.join(`cam-${n}`, 'clip.mp4')

function material(folder: string): void {
  for (let n = 1; n <= CAMERAS; n++) {
    mkdirSync(path.join(folder, `cam-${n}`), { recursive: true })
    const picture = `testsrc2=size=${SIZE.width}x${SIZE.height}:rate=25:duration=${SECONDS},hue=h=${n * 90},noise=alls=6:allf=t`
    const codec = ['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '23', '-g', '50', '-pix_fmt', 'yuv420p']
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', picture, ...codec, path.join(folder, camera(n))])
  }
  execFileSync('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    `sine=duration=${SECONDS}:sample_rate=48000`,
    '-ac',
    '2',
    path.join(folder, 'desk-mix.wav'),
  ])
}

/** Seconds of processor time that ended children took until now, from what the kernel counts for this process (proc(5)). */
function childrenSeconds(): number {
  const fields = readFileSync('/proc/self/stat', 'utf8')
    .replace(/^.*\) /s, '')
    .split(' ')
  return (Number(fields[13]) + Number(fields[14])) / Number(execFileSync('getconf', ['CLK_TCK'], { encoding: 'utf8' }))
}

function cpuOf(command: string, args: string[]): number {
  const before = childrenSeconds()
  const { status, stderr } = spawnSync(command, args, { encoding: 'utf8' })
  if (status !== 0) throw new Error(stderr)
  return childrenSeconds() - before
}

/** A film of many short stretches against one ffmpeg graph that trims and joins the same ones with the same encoder. */
export async function benchFilm(folder: string): Promise<void> {
  if (!existsSync(path.join(folder, 'desk-mix.wav'))) material(folder)
  const home = mkdtempSync(path.join(os.tmpdir(), 'pendolo-bench-'))
  try {
    await makeProject(home, folder)
    const out = path.join(home, 'ours.mp4')
    const ours = () => cpuOf(process.execPath, [CLI, 'film', 'Short', '--home', home, '--out', out, '--size', `${SIZE.width}x${SIZE.height}`])
    const idle = cpuOf(process.execPath, [CLI, 'exchange', 'Short', '--home', home, '--format', 'edl', '--out', path.join(home, 'x.edl')])
    const theirs = () => cpuOf('ffmpeg', graph(folder, path.join(home, 'graph.mp4')))
    const pairs = Array.from({ length: TIMES }, () => ({ a: ours(), b: theirs() }))
    const [a, b] = [median(pairs.map((p) => p.a)), median(pairs.map((p) => p.b))]
    console.log(`baseline: one ffmpeg graph of ${CUTS} stretches in ${TO - FROM} s of ${SIZE.width}×${SIZE.height} takes ${b.toFixed(1)} s of processor`)
    console.log(`film: ${(a / b).toFixed(2)} × that; ${((a - idle) / b).toFixed(2)} × without what any command takes to begin (${idle.toFixed(1)} s)`)
  } finally {
    rmSync(home, { recursive: true, force: true })
  }
}

function graph(folder: string, out: string): string[] {
  const step = (TO - FROM) / CUTS
  const inputs = Array.from({ length: CAMERAS }, (_, n) => ['-ss', String(FROM), '-t', String(TO - FROM), '-i', path.join(folder, camera(n + 1))]).flat()
  const splits = Array.from({ length: CAMERAS }, (_, n) => {
    const own = Array.from({ length: CUTS }, (_, i) => i).filter((i) => i % CAMERAS === n)
    return `[${n}:v]split=${own.length}${own.map((i) => `[s${i}]`).join('')}`
  })
  const trims = Array.from({ length: CUTS }, (_, i) => `[s${i}]trim=${i * step}:${(i + 1) * step},setpts=PTS-STARTPTS[t${i}]`)
  const joined = `${Array.from({ length: CUTS }, (_, i) => `[t${i}]`).join('')}concat=n=${CUTS},format=yuv420p[v]`
  const sound = ['-ss', String(FROM), '-t', String(TO - FROM), '-i', path.join(folder, 'desk-mix.wav')]
  const encoder = ['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '18', '-c:a', 'aac', '-b:a', '256k']
  const filter = [...splits, ...trims, joined].join(';')
  return ['-v', 'error', '-y', ...inputs, ...sound, '-filter_complex', filter, '-map', '[v]', '-map', `${CAMERAS}:a`, ...encoder, out]
}

/** All cameras began with the master. */
function placed(doc: State['doc']): Edit {
  const placement = { start: flicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [{ code: 'moved' }], locked: false } as const
  const cameras = Object.values(doc.clips).filter((c) => !isMaster(doc, c.id))
  return { type: 'place', by: 'hand', placements: Object.fromEntries(cameras.map((c) => [c.id, placement])), loose: {} }
}

async function makeProject(home: string, folder: string): Promise<void> {
  await withServer(home, folder, 'Short', async ({ id, call }) => {
    const { doc } = await call<State>(`/projects/${id}`)
    const at = (seconds: number) => flicks(Math.round(seconds * FLICKS_PER_SECOND))
    const cutId = doc.activeCutId
    const edits: Edit[] = [
      placed(doc),
      ...Array.from({ length: CUTS }, (_, i): Edit => {
        const time = at(FROM + (i * (TO - FROM)) / CUTS)
        return { type: 'choose', cutId, time, choice: { angleId: doc.angles[i % CAMERAS].id } }
      }),
      { type: 'keep', start: at(FROM), end: at(TO) },
    ]
    await call(`/projects/${id}/edits?label=bench`, { edits })
  })
}

/** How pictures are seen in the second measurement: a look with a vignette, a nearer framing, a dissolve, an inset. */
const LOOK = { exposure: 0.4, warmth: 0.2, contrast: 1.1, saturation: 1.15 }
const VIGNETTE = { amount: 0.5, x: 0.5, y: 0.5, size: 0.45, soft: 0.7 }
const NEARER = 1.3
const [CUT, GIVES] = [24, 1]
const INSET = { x: 0.67, y: 0.66, width: 0.29, height: 0.29 }

/** A film whose pictures are corrected, framed, give way to each other and have others over them, against one ffmpeg graph that does the same. */
export async function benchLooks(folder: string): Promise<void> {
  if (!existsSync(path.join(folder, 'desk-mix.wav'))) material(folder)
  const home = mkdtempSync(path.join(os.tmpdir(), 'pendolo-bench-'))
  try {
    await makeLooked(home, folder)
    const table = path.join(home, 'look.cube')
    writeFileSync(table, tableText(lookTable(LOOK)))
    const took = (command: string, args: string[]) => {
      const began = performance.now()
      cpuOf(command, args)
      return (performance.now() - began) / 1000
    }
    const size = `${SIZE.width}x${SIZE.height}`
    const ours = () => took(process.execPath, [CLI, 'film', 'Looked', '--home', home, '--out', path.join(home, 'ours.mp4'), '--size', size])
    const idle = took(process.execPath, [CLI, 'exchange', 'Looked', '--home', home, '--format', 'edl', '--out', path.join(home, 'x.edl')])
    const theirs = () => took('ffmpeg', lookedGraph(folder, table, path.join(home, 'graph.mp4')))
    const pairs = Array.from({ length: TIMES }, () => ({ a: ours(), b: theirs() }))
    const [a, b] = [median(pairs.map((p) => p.a)), median(pairs.map((p) => p.b))]
    console.log(`baseline: one ffmpeg graph with look, vignette, framing, dissolve and inset over ${TO - FROM} s of ${size} takes ${b.toFixed(1)} s`)
    console.log(
      `film with looks and layers: ${(b / (a - idle)).toFixed(2)} of its speed (${(b / a).toFixed(2)} with the ${idle.toFixed(1)} s that any command takes to begin)`,
    )
  } finally {
    rmSync(home, { recursive: true, force: true })
  }
}

function lookedGraph(folder: string, table: string, out: string): string[] {
  const inputs = Array.from({ length: CAMERAS }, (_, n) => ['-ss', String(FROM), '-t', String(TO - FROM), '-i', path.join(folder, camera(n + 1))]).flat()
  const [wide, tall] = [SIZE.width * NEARER, SIZE.height * NEARER].map((x) => 2 * Math.round(x / 2))
  const [w, h] = [SIZE.width * INSET.width, SIZE.height * INSET.height].map((x) => 2 * Math.round(x / 2))
  const ends = CUT - FROM + GIVES / 2
  const filter = [
    `[0:v]trim=0:${ends},lut3d=file=${table}:interp=tetrahedral,format=yuv420p,vignette[a]`,
    `[1:v]trim=${ends - GIVES}:${TO - FROM},setpts=PTS-STARTPTS,scale=${wide}:${tall}:flags=bicubic,crop=${SIZE.width}:${SIZE.height}[b]`,
    `[a][b]xfade=transition=fade:duration=${GIVES}:offset=${ends - GIVES}[c]`,
    `[2:v]scale=${w}:${h}:flags=bicubic[i]`,
    `[c][i]overlay=x=${Math.round(SIZE.width * INSET.x)}:y=${Math.round(SIZE.height * INSET.y)},format=yuv420p[v]`,
  ].join(';')
  const sound = ['-ss', String(FROM), '-t', String(TO - FROM), '-i', path.join(folder, 'desk-mix.wav')]
  const encoder = ['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '18', '-c:a', 'aac', '-b:a', '256k']
  return ['-v', 'error', '-y', ...inputs, ...sound, '-filter_complex', filter, '-map', '[v]', '-map', `${CAMERAS}:a`, ...encoder, out]
}

async function makeLooked(home: string, folder: string): Promise<void> {
  await withServer(home, folder, 'Looked', async ({ id, call }) => {
    const { doc } = await call<State>(`/projects/${id}`)
    const at = (seconds: number) => flicks(Math.round(seconds * FLICKS_PER_SECOND))
    const [one, two, three] = doc.angles
    const cutId = doc.activeCutId
    const edits: Edit[] = [
      placed(doc),
      { type: 'choose', cutId, time: at(FROM), choice: { angleId: one.id } },
      { type: 'choose', cutId, time: at(CUT), choice: { angleId: two.id } },
      { type: 'transition', cutId, time: at(CUT), transition: { kind: 'dissolve', length: at(GIVES) } },
      { type: 'seeAngle', angleId: one.id, look: { ...LOOK, vignette: VIGNETTE } },
      { type: 'seeAngle', angleId: two.id, cutout: { x: 0, y: 0, scale: NEARER, turn: 0 } },
      { type: 'layers', cutId, layers: [{ id: 'i', kind: 'inset', from: at(FROM), to: at(TO), height: 1, place: INSET, angleId: three.id }] },
      { type: 'keep', start: at(FROM), end: at(TO) },
    ]
    await call(`/projects/${id}/edits?label=bench`, { edits })
  })
}
