import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { type Edit, type FileFacts, isMaster, type ProjectDoc } from '../core/project/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart } from '../core/time/index.ts'

import { type Served, withServer } from './server.ts'

export const HOURS = 2
export const ANGLES = 16
export const CUTS = 5000
export const MARKS = 20_000
export const BEATS = 14_400
const RATE = { num: 25, den: 1 }

const camera = (n: number) => path.join(`camera-${String(n).padStart(2, '0')}`, 'clip.mp4')

/** Sixteen cameras of two hours: small pictures once a second, for it is the document that is measured. */
function material(folder: string): void {
  mkdirSync(folder, { recursive: true })
  const length = String(HOURS * 3600)
  const sound = ['-f', 'lavfi', '-i', `anoisesrc=sample_rate=8000:amplitude=0.1:duration=${length}`, '-c:a', 'aac', '-b:a', '12k']
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...sound, path.join(folder, 'master-mix.m4a')])
  const first = path.join(folder, camera(1))
  for (let n = 1; n <= ANGLES; n++) mkdirSync(path.dirname(path.join(folder, camera(n))), { recursive: true })
  execFileSync('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    `testsrc2=size=160x90:rate=1:duration=${length}`,
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    first,
  ])
  for (let n = 2; n <= ANGLES; n++)
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', first, '-c', 'copy', '-metadata', `title=${n}`, path.join(folder, camera(n))])
}

export interface State {
  doc: ProjectDoc
  files: { id: string; name: string; facts: FileFacts }[]
}

/** A server with the big project's cameras gathered and placed, and nothing cut yet. */
export interface Big {
  readonly url: string
  readonly home: string
  readonly id: string
  readonly doc: ProjectDoc
  readonly call: <T>(target: string, body?: unknown) => Promise<T>
  /** For how long at most the server's event loop was held since this was asked last, ms. */
  readonly held: () => Promise<number>
  readonly edit: (edits: Edit[]) => Promise<unknown>
  readonly state: () => Promise<State>
  /** The edit that makes the nth cut, so many frames later. */
  readonly choose: (n: number, offset?: number) => Edit
}

/** Starts a server on a home of its own with the big project in it, lets `act` work with it, and takes all away again. */
export async function withBigProject(folder: string, act: (big: Big) => Promise<void>): Promise<void> {
  if (!existsSync(path.join(folder, camera(ANGLES)))) material(folder)
  const home = mkdtempSync(path.join(os.tmpdir(), 'pendolo-bench-'))
  try {
    await withServer(home, folder, 'Two hours', async (served) => act(await placed(served, home)))
  } finally {
    rmSync(home, { recursive: true, force: true })
  }
}

async function placed({ url, id, call, held }: Served, home: string): Promise<Big> {
  const edit = (edits: Edit[]) => call(`/projects/${id}/edits?label=bench`, { edits })
  const state = () => call<State>(`/projects/${id}`)
  const { doc } = await state()
  const cutId = doc.activeCutId
  const placement = { start: flicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [{ code: 'moved' }], locked: false } as const
  const cameras = Object.values(doc.clips).filter((c) => !isMaster(doc, c.id))
  await edit([{ type: 'place', by: 'hand', placements: Object.fromEntries(cameras.map((c) => [c.id, placement])), loose: {} }])

  const step = (HOURS * 3600 * 25) / CUTS
  const choose = (n: number, offset = 0): Edit => ({
    type: 'choose',
    cutId,
    time: frameStart(Math.floor(n * step) + offset, RATE),
    choice: { angleId: doc.angles[(n * 7 + offset) % doc.angles.length].id },
  })
  return { url, home, id, doc, call, held, edit, state, choose }
}

/** Cuts from the nth on, as one list of edits. */
export const cutsFrom = ({ choose }: Big, n: number, count: number): Edit[] => Array.from({ length: count }, (_, i) => choose(n + i))

export const marksFrom = (n: number, count: number): Edit => ({
  type: 'addMarks',
  marks: Array.from({ length: count }, (_, i) => ({
    id: `mark-${n + i}`,
    time: ((n + i) * 250_000_000) as Flicks,
    kind: 'cue' as const,
    name: `Mark ${n + i}`,
    hue: i % 12,
  })),
})

export function steadyPulse(): Edit {
  const beats = Array.from({ length: BEATS }, (_, i) => flicks(i * (FLICKS_PER_SECOND / 2)))
  return { type: 'setPulse', pulse: { tempoBpm: 120, metre: 4, confidence: 1, beats, downbeats: beats.flatMap((_, i) => (i % 4 === 0 ? [i] : [])) } }
}

export const median = (list: readonly number[]) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)] ?? 0
