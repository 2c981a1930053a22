import { existsSync, statSync } from 'node:fs'
import path from 'node:path'
import type { FilmBody, LineUpBody } from '@pendolo/api'
import { type ExchangeFile, layOut } from '@pendolo/core/formats'
import type { SoundPlacement } from '@pendolo/core/lineup'
import type { Clip, Placement, ProjectDoc } from '@pendolo/core/project'
import { PULSE_RATE } from '@pendolo/core/pulse'
import { flicks, frameAt, frameStart, parseRate, placementFromSeconds, type Rate, secondsToFlicks } from '@pendolo/core/time'
import type { Analysis } from '../analysis.ts'
import type { Config } from '../config.ts'
import { renderFilm } from '../film/render.ts'
import { artefactPath } from '../media/artefacts.ts'
import { MediaError } from '../media/ffmpeg.ts'
import { makeLightCopies } from '../media/light.ts'
import { notesFor } from '../media/probe.ts'
import { decodeMono, makeSound } from '../media/sound.ts'
import type { FileRow, ProjectStore } from '../project/store.ts'
import type { JobQueue, JobRun } from './queue.ts'

export interface Workshop {
  readonly config: Config
  readonly store: ProjectStore
  readonly queue: JobQueue
  readonly analysis: Analysis
}

/** Teaches the queue what each kind of job does. */
export function installHandlers(shop: Workshop): void {
  const { queue } = shop
  queue.handle('light', (run) => light(shop, run))
  queue.handle('sound', (run) => sound(shop, run))
  queue.handle('lineup', (run) => lineUp(shop, run))
  queue.handle('pulse', (run) => pulse(shop, run))
  queue.handle('film', (run) => film(shop, run))
}

/** Queues what a newly gathered file needs. */
export async function queueFileJobs(shop: Workshop, projectId: string, files: readonly FileRow[]): Promise<void> {
  for (const file of files) {
    if (file.facts.audio) await shop.queue.add({ projectId, kind: 'sound', title: `sound of ${file.name}`, fileId: file.id })
    if (file.facts.video) await shop.queue.add({ projectId, kind: 'light', title: `light copy of ${file.name}`, fileId: file.id })
  }
}

async function fileOf(shop: Workshop, run: JobRun): Promise<FileRow> {
  const file = (await shop.store.files(run.projectId)).find((f) => f.id === run.fileId)
  if (!file) throw new MediaError('the file is no longer part of the project')
  present(file)
  return file
}

function present(file: FileRow): void {
  if (!existsSync(file.path)) throw new MediaError(`${file.path} is missing; put it back where it was and try again`)
}

async function light(shop: Workshop, run: JobRun) {
  const file = await fileOf(shop, run)
  const frames = await makeLightCopies(shop.config, file.path, file.contentKey, file.facts, (share) => run.report(share, 'making the light copy'), run.signal)
  const { video } = file.facts
  // Only a whole pass tells the exact number of pictures; containers often only guess.
  if (frames !== null && video && frames !== video.frames)
    await shop.store.updateFile(file.id, run.projectId, { facts: { ...file.facts, video: { ...video, frames } } })
  else await shop.store.updateFile(file.id, run.projectId, {})
  return { detail: 'ready' }
}

async function sound(shop: Workshop, run: JobRun) {
  const file = await fileOf(shop, run)
  await ensureSound(shop, file, run)
  return { detail: 'ready' }
}

const making = new Map<string, Promise<void>>()

/** Makes a file's sound things unless they are there; two jobs that want the same wait for one making. */
async function ensureSound(shop: Workshop, file: FileRow, run: JobRun): Promise<void> {
  const already = making.get(file.contentKey)
  if (already) await already.catch(() => undefined)
  const task = makeSound(shop.config, file.path, file.contentKey, file.facts, (share) => run.report(share, `listening to ${file.name}`), run.signal).then(
    async (findings) => {
      if (!findings) return
      const notes = notesFor(file.facts)
      if (findings.silent) notes.push('the sound is silence')
      if (findings.emptyChannel) notes.push(`the ${findings.emptyChannel} channel is empty`)
      await shop.store.updateFile(file.id, run.projectId, { notes })
    },
  )
  making.set(file.contentKey, task)
  try {
    await task
  } finally {
    making.delete(file.contentKey)
  }
}

function masterOf(doc: ProjectDoc, files: readonly FileRow[]): FileRow {
  const clip = doc.masterClipId ? doc.clips[doc.masterClipId] : undefined
  const file = clip && files.find((f) => f.id === clip.fileId)
  if (!file) throw new MediaError('there is no master yet; choose one in Gather')
  if (!file.facts.audio) throw new MediaError(`${file.name} has no sound, so nothing can be placed on it; choose another master`)
  present(file)
  return file
}

async function lineUp(shop: Workshop, run: JobRun) {
  const body = run.payload as LineUpBody
  const doc = await shop.store.doc(run.projectId)
  const files = await shop.store.files(run.projectId)
  const master = masterOf(doc, files)
  const wanted = body.clipIds ? new Set(body.clipIds) : null
  const clips = Object.values(doc.clips).filter((c) => {
    const placement = doc.placements[c.id]
    return c.id !== doc.masterClipId && c.state === 'in' && !placement?.locked && placement?.method !== 'hand' && (!wanted || wanted.has(c.id))
  })
  await ensureSound(shop, master, run)
  const masterSound = artefactPath(shop.config, master.contentKey, 'analysis')
  let done = 0
  const counts = { sure: 0, check: 0, loose: 0 }
  const placeOne = async (clip: Clip) => {
    const file = files.find((f) => f.id === clip.fileId)
    if (!file) return
    let placed: SoundPlacement | null = null
    let why = 'no sound in this file; place it by hand'
    if (file.facts.audio) {
      present(file)
      await ensureSound(shop, file, run)
      const near = body.nearSeconds === undefined ? null : { startSeconds: body.nearSeconds, tolerance: body.tolerance ?? 5 }
      placed = await shop.analysis.run(
        { kind: 'place', masterSound, clipSound: artefactPath(shop.config, file.contentKey, 'analysis'), thorough: body.thorough ?? false, near },
        run.signal,
      )
      why = placed.why
      await shop.store.saveProof(run.projectId, clip.id, { ...placed, clipName: file.name })
    }
    const placement = placed && placementOf(placed)
    counts[placement?.verdict ?? 'loose']++
    done++
    await shop.store.edit(
      run.projectId,
      [{ type: 'place', by: 'search', placements: placement ? { [clip.id]: placement } : {}, loose: placement ? {} : { [clip.id]: why } }],
      'line up',
      run.jobId,
    )
    run.report(done / clips.length, `${done} of ${clips.length} clips tried`)
  }
  const queue = [...clips]
  const lane = async () => {
    for (let next = queue.shift(); next; next = queue.shift()) await placeOne(next)
  }
  await Promise.all(Array.from({ length: shop.analysis.threads }, lane))
  return { detail: `${counts.sure} sure, ${counts.check} to check, ${counts.loose} loose` }
}

function placementOf(found: SoundPlacement): Placement | null {
  if (found.verdict === 'loose' || found.startSeconds === null) return null
  const { start, rate } = placementFromSeconds(found.startSeconds, found.rate)
  return { start, rate, method: 'sound', verdict: found.verdict, confidence: found.confidence, why: found.why, locked: false }
}

async function pulse(shop: Workshop, run: JobRun) {
  const doc = await shop.store.doc(run.projectId)
  const master = masterOf(doc, await shop.store.files(run.projectId))
  run.report(0.05, 'listening to the master')
  const samples = await decodeMono(shop.config, master.path, master.facts, PULSE_RATE, run.signal)
  run.report(0.3, 'finding beats and bars')
  const found = await shop.analysis.run({ kind: 'pulse', samples }, run.signal)
  await shop.store.edit(
    run.projectId,
    [
      {
        type: 'setPulse',
        pulse: {
          tempoBpm: found.tempoBpm,
          metre: found.metre,
          confidence: found.confidence,
          beats: found.beats.map(secondsToFlicks),
          downbeats: found.downbeats,
        },
      },
    ],
    'find the pulse',
    run.jobId,
  )
  return { detail: found.beats.length > 0 ? `${found.beats.length} beats in ${found.downbeats.length} bars` : 'there is no steady pulse in this recording' }
}

/** Files of a project as exchange formats and the film want them. */
export function exchangeFiles(rows: readonly FileRow[]): Map<string, ExchangeFile> {
  return new Map(rows.map((r) => [r.id, { id: r.id, name: r.name, path: r.path, facts: r.facts }]))
}

/** The project as it would be at another frame rate: labels keep their time. */
export function atRate(doc: ProjectDoc, rateText: string): ProjectDoc {
  const from = parseRate(doc.settings.rate) as Rate
  const to = parseRate(rateText) as Rate
  return { ...doc, settings: { ...doc.settings, rate: rateText, startFrame: frameAt(flicks(frameStart(doc.settings.startFrame, from)), to) } }
}

async function film(shop: Workshop, run: JobRun) {
  const body = run.payload as FilmBody
  const doc = await shop.store.doc(run.projectId)
  const rows = await shop.store.files(run.projectId)
  const files = exchangeFiles(rows)
  const name = await shop.store.name(run.projectId)
  const exchange = layOut(name, atRate(doc, body.rate), files)
  for (const segment of exchange.cut) {
    const used = rows.find((r) => r.id === segment.source?.file.id)
    if (used) present(used)
  }
  const fileName = `${safeName(name)}-${run.jobId.slice(0, 8)}.mp4`
  const out = path.join(shop.config.films, fileName)
  await renderFilm(shop.config, exchange, files, { width: body.width & ~1, height: body.height & ~1 }, out, run.report, run.signal)
  return { detail: 'ready', result: { path: out, name: `${safeName(name)}.mp4`, bytes: statSync(out).size } }
}

export function safeName(name: string): string {
  return (
    name
      .normalize('NFKD')
      .replace(/[^\w\- ]+/g, '')
      .trim()
      .replace(/\s+/g, '-')
      .toLowerCase() || 'project'
  )
}
