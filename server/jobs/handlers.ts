import { randomUUID } from 'node:crypto'
import { statSync } from 'node:fs'
import path from 'node:path'
import { type FilmBody, type LineUpBody, usualFilmBytes } from '@pendolo/api'
import { layOut } from '@pendolo/core/formats'
import type { PlaceProof } from '@pendolo/core/lineup'
import { channelsOf } from '@pendolo/core/mix'
import { type Clip, factsOfClip, isMaster, notesFor, type ProjectDoc, SET_BY_HAND } from '@pendolo/core/project'
import { flicks, frameAt, frameStart, parseRate, type Rate } from '@pendolo/core/time'
import { type DiskError, needRoom, watchRoom } from '../disk.ts'
import { FILM_ENDINGS, type Filmed, filmed, partOf } from '../film/parts.ts'
import { secondsOf } from '../lineup/outcome.ts'
import { placeAll } from '../lineup/place-all.ts'
import type { Recording } from '../lineup/recordings.ts'
import type { LineUpTools, MasterSound } from '../lineup/round.ts'
import { type TakenClip, takesOf } from '../lineup/takes.ts'
import { artefactPath, hasArtefact } from '../media/artefacts.ts'
import { makeLightCopies } from '../media/copies.ts'
import { makeDrawing } from '../media/drawings.ts'
import type { SoundFindings } from '../media/findings.ts'
import { makeLuma } from '../media/luma.ts'
import { present } from '../media/originals.ts'
import { makeSound } from '../media/sound.ts'
import { MediaError } from '../media/words.ts'
import type { JobOutcome, JobRun } from '../ports/queue.ts'
import type { FileRow } from '../ports/store.ts'
import { findAgain } from '../project/find-again.ts'
import { findInMaster } from './find.ts'
import { prepare } from './prepare.ts'
import { steady } from './steady.ts'
import { fileJobs } from './wanted.ts'
import { exchangeFiles, fileOf, joinedOf, masterOf, type Workshop } from './workshop.ts'

/** Teaches the queue what each kind of job does. */
export function installHandlers(shop: Workshop): void {
  const { queue } = shop
  queue.handle('copies', (run) => withRoom(shop, run, copies))
  queue.handle('sound', (run) => withRoom(shop, run, sound))
  queue.handle('lineup', (run) => withRoom(shop, run, lineUp))
  queue.handle('pulse', (run) => withRoom(shop, run, findInMaster))
  queue.handle('loudness', (run) => loudness(shop, run))
  queue.handle('film', (run) => withRoom(shop, run, film))
  queue.handle('steady', (run) => withRoom(shop, run, steady))
  queue.handle('prepare', (run) => withRoom(shop, run, prepare))
  queue.handle('originals', (run) => originals(shop, run))
}

/** Ends a job with words when the disk fills up while it writes. */
async function withRoom(shop: Workshop, run: JobRun, handler: (shop: Workshop, run: JobRun) => Promise<JobOutcome>): Promise<JobOutcome> {
  const full = new AbortController()
  let reason: DiskError | null = null
  const unwatch = watchRoom(shop.config, shop.config.artefacts, (error) => {
    reason = error
    full.abort()
  })
  try {
    return await handler(shop, { ...run, signal: AbortSignal.any([run.signal, full.signal]) })
  } catch (error) {
    throw reason && !run.signal.aborted ? reason : error
  } finally {
    unwatch()
  }
}

/** Bytes a second of a recording that its light copies take, roughly, and what hearing it whole takes meanwhile. */
const LIGHT_BYTES = 400_000
const SOUND_BYTES = 260_000
const HEARD_BYTES = 16_000
/** Bytes a second of one channel by itself. */
const CHANNEL_BYTES = 60_000
/** Bytes of sound a second while it is mixed. */
const MIX_BYTES = 390_000

async function copies(shop: Workshop, run: JobRun) {
  const file = await fileOf(shop, run)
  if (!hasArtefact(shop.config, file.contentKey, 'sharp'))
    await needRoom(shop.config, shop.config.artefacts, LIGHT_BYTES * file.facts.durationSeconds, `the light copy of ${file.name}`)
  const frames = await makeLightCopies(shop.config, file.path, file.contentKey, file.facts, (share) => run.report(share, { code: 'copying' }), run.signal)
  const { video } = file.facts
  if (video?.still) await makeDrawing(shop.config, file, run.signal)
  // Only a whole pass tells the exact number of pictures; containers often only guess.
  if (frames !== null && video && frames !== video.frames)
    await shop.store.updateFile(file.id, run.projectId, { facts: { ...file.facts, video: { ...video, frames } } })
  else await shop.store.updateFile(file.id, run.projectId, {})
  return { detail: { code: 'ready' } as const }
}

async function sound(shop: Workshop, run: JobRun) {
  const file = await fileOf(shop, run)
  await ensureSound(shop, file, run)
  return { detail: { code: 'ready' } as const }
}

const making = new Map<string, Promise<SoundFindings | null>>()

/** Makes a file's sound things unless they are there; two jobs that want the same wait for one making. */
async function ensureSound(shop: Workshop, file: FileRow, run: JobRun): Promise<SoundFindings | null> {
  const count = file.facts.audio ? Math.min(64, channelsOf(file.facts.audio).length) : 0
  const heard = HEARD_BYTES * count + (count > 2 ? CHANNEL_BYTES * count : 0)
  if (!hasArtefact(shop.config, file.contentKey, 'findings'))
    await needRoom(shop.config, shop.config.artefacts, (SOUND_BYTES + heard) * file.facts.durationSeconds, `the sound of ${file.name}`)
  const already = making.get(file.contentKey)
  if (already) await already.catch(() => undefined)
  const task = makeSound(shop.config, file.path, file.contentKey, file.facts, {
    listening: true,
    onProgress: (share) => run.report(share, { code: 'listening', file: file.name }),
    signal: run.signal,
    steps: shop.analysis.soundSteps(run.signal),
  }).then(async (findings) => {
    if (!findings) return null
    const notes = notesFor(file.facts)
    if (findings.silent) notes.push({ code: 'silent' })
    if (findings.emptyChannel) notes.push({ code: 'empty-channel', side: findings.emptyChannel })
    if (findings.timecode) notes.push({ code: 'timecode', label: findings.timecode.first, channel: findings.timecode.channel + 1 })
    await shop.store.updateFile(file.id, run.projectId, { notes })
    return findings
  })
  making.set(file.contentKey, task)
  try {
    return await task
  } finally {
    making.delete(file.contentKey)
  }
}

/** Recordings that are the master together, as one sound to search on. */
async function joinedSound(shop: Workshop, run: JobRun, doc: ProjectDoc, files: readonly FileRow[]) {
  const { config } = shop
  const { path: file, contentKey, facts, startSeconds } = await joinedOf(shop, doc, files, run)
  const { durationSeconds } = facts
  await needRoom(config, config.artefacts, SOUND_BYTES * durationSeconds, 'the joined master')
  const findings = await makeSound(config, file, contentKey, facts, { listening: false, signal: run.signal, steps: shop.analysis.soundSteps(run.signal) })
  return findings && { file: artefactPath(config, contentKey, 'analysis'), startSeconds, durationSeconds }
}

/** Looking for a clip at every speed takes long: about ten minutes on a master of an hour. */
const MOST_ANY_SPEED = 3600

async function lineUp(shop: Workshop, run: JobRun) {
  const body = run.payload as LineUpBody
  const doc = await shop.store.doc(run.projectId)
  const files = await shop.store.files(run.projectId)
  await masterOf(shop.config, doc, files, false)
  const masterSeconds = doc.master.clipIds.reduce((sum, id) => sum + (files.find((f) => f.id === doc.clips[id]?.fileId)?.facts.durationSeconds ?? 0), 0)
  if (body.speed === 'any' && masterSeconds > MOST_ANY_SPEED)
    throw new MediaError('any speed can be looked for on a master of at most an hour; type the speed, or what the clip was shot and the song played at')
  const wanted = body.clipIds ? new Set(body.clipIds) : null
  // What was placed by hand stays, unless the user names the clip and where to look.
  const asked = wanted !== null && (body.nearSeconds !== undefined || body.speed !== undefined)
  const clips = Object.values(doc.clips).filter((c) => {
    const placement = doc.placements[c.id]
    return (
      !isMaster(doc, c.id) &&
      c.state === 'in' &&
      !placement?.locked &&
      (asked || !placement || !SET_BY_HAND.has(placement.method)) &&
      (!wanted || wanted.has(c.id))
    )
  })
  const recordingOf = (clip: Clip): Recording | null => {
    const file = files.find((f) => f.id === clip.fileId)
    // A still has no time to be found.
    if (!file || file.facts.video?.still) return null
    return { id: clip.id, name: file.name, path: file.path, contentKey: file.contentKey, facts: factsOfClip(file.facts, clip) }
  }
  const fileOfClip = (r: Recording) => files.find((f) => f.id === doc.clips[r.id]?.fileId) as FileRow
  const searched = new Set(clips.map((c) => c.id))
  const lying = Object.values(doc.clips)
    .filter((c) => !isMaster(doc, c.id) && c.state === 'in' && !searched.has(c.id))
    .flatMap((c) => {
      const placement = doc.placements[c.id]
      const recording = recordingOf(c)
      return recording && placement && (placement.locked || placement.verdict === 'sure') ? [{ recording, ...secondsOf(placement) }] : []
    })
  const masters = doc.master.clipIds.flatMap((id) => {
    const recording = recordingOf(doc.clips[id])
    const placement = doc.placements[id]
    return recording && placement ? [{ recording, ...secondsOf(placement) }] : []
  })
  // A recording may come to several outcomes with the same proof, which is kept once.
  const kept = new Map<string, { proof: PlaceProof; id: string }>()
  const proofOf = (r: Recording, proof: PlaceProof | null): { id: string; fresh: boolean } | null => {
    if (!proof) return null
    const known = kept.get(r.id)
    if (known?.proof === proof) return { id: known.id, fresh: false }
    const id = randomUUID()
    kept.set(r.id, { proof, id })
    return { id, fresh: true }
  }
  const near = body.nearSeconds === undefined ? null : { startSeconds: body.nearSeconds, tolerance: body.tolerance ?? 5 }
  const tools: LineUpTools = {
    analysis: shop.analysis,
    signal: run.signal,
    onProgress: (share, detail) => run.report(share, detail),
    sound: async (r) => {
      const file = fileOfClip(r)
      if (!file.facts.audio) return null
      await present(shop.config, file)
      const findings = await ensureSound(shop, file, run)
      return findings && { file: artefactPath(shop.config, file.contentKey, 'analysis'), findings }
    },
    ...(masters.length > 1 && { joined: () => joinedSound(shop, run, doc, files) }),
    luma: async (r) => {
      const file = fileOfClip(r)
      await present(shop.config, file)
      return makeLuma(shop.config, file.path, file.contentKey, file.facts, run.signal)
    },
    onOutcome: async (r, outcome) => {
      const proof = proofOf(r, outcome.proof)
      const placements = outcome.placement ? { [r.id]: outcome.placement } : {}
      const loose = outcome.placement ? {} : { [r.id]: outcome.why }
      await shop.store.edit(
        run.projectId,
        [{ type: 'place', by: asked ? 'asked' : 'search', placements, loose, proofs: proof ? { [r.id]: proof.id } : {} }],
        'line up',
        {
          group: run.jobId,
          author: run.author,
          ...(proof?.fresh && { proofs: [{ id: proof.id, proof: { proof: outcome.proof, clipName: r.name } }] }),
        },
      )
    },
  }
  const { outcomes, masterSound } = await placeAll(
    [...masters, ...lying],
    clips.map(recordingOf).filter((r): r is Recording => r !== null),
    {
      thorough: body.thorough ?? false,
      ...(near && { near }),
      ...(body.ways && { ways: body.ways }),
      ...(body.speed !== undefined && { speed: body.speed }),
    },
    tools,
  )
  run.report(0.99, { code: 'comparing', what: 'takes' })
  await nameTakes(shop, run, recordingOf, masterSound, tools)
  const counts = { sure: 0, check: 0, loose: 0 }
  for (const { placement } of outcomes.values()) counts[placement?.verdict ?? 'loose']++
  if (asked && counts.sure + counts.check === 0) return { detail: { code: body.nearSeconds === undefined ? 'not-at-speed' : 'not-near' } as const }
  return { detail: { code: 'lined-up', ...counts } as const }
}

/** Names the takes of what lies for sure, where the master was played more than once; names that were given stay. */
async function nameTakes(shop: Workshop, run: JobRun, recordingOf: (clip: Clip) => Recording | null, master: MasterSound | null, tools: LineUpTools) {
  const doc = await shop.store.doc(run.projectId)
  const clips = Object.values(doc.clips).flatMap((clip): TakenClip[] => {
    const placement = doc.placements[clip.id]
    const recording = clip.state === 'in' && clip.angleId && !isMaster(doc, clip.id) ? recordingOf(clip) : null
    return recording && placement?.verdict === 'sure' ? [{ recording, ...secondsOf(placement), angleId: clip.angleId as string }] : []
  })
  const names: Record<string, string> = {}
  for (const [i, ids] of (await takesOf(clips, master, tools)).entries()) {
    const name = ids.map((id) => doc.clips[id].take).find(Boolean) ?? `Take ${i + 1}`
    for (const id of ids) if (doc.clips[id].take === undefined) names[id] = name
  }
  if (Object.keys(names).length > 0)
    await shop.store.edit(run.projectId, [{ type: 'takes', names }], 'name the takes', { group: run.jobId, author: run.author })
}

/** The project as it would be at another frame rate: labels keep their time. */
export function atRate(doc: ProjectDoc, rateText: string): ProjectDoc {
  const from = parseRate(doc.settings.rate) as Rate
  const to = parseRate(rateText) as Rate
  return { ...doc, settings: { ...doc.settings, rate: rateText, startFrame: frameAt(flicks(frameStart(doc.settings.startFrame, from)), to) } }
}

async function film(shop: Workshop, run: JobRun) {
  const body = run.payload as FilmBody & Filmed
  const doc = await shop.store.doc(run.projectId)
  const files = exchangeFiles(await shop.store.files(run.projectId))
  const name = await shop.store.name(run.projectId)
  const exchange = layOut(name, atRate(doc, body.rate), files, filmed(doc, body))
  const called = safeName(body.partId === undefined ? name : `${name} ${partOf(doc, body.partId).name}`)
  const ending = FILM_ENDINGS[body.lossless ? 'lossless' : 'aac']
  const fileName = `${called}-${run.jobId.slice(0, 8)}${ending}`
  const out = path.join(shop.config.films, fileName)
  const frames = exchange.toFrame - exchange.fromFrame
  const seconds = (frames * exchange.rate.den) / exchange.rate.num
  // Sound that is brought to a loudness is written beside what was mixed.
  const mixes = body.loudness === undefined ? 1 : 2
  await needRoom(shop.config, shop.config.films, usualFilmBytes({ ...body, frames }) + mixes * MIX_BYTES * seconds, 'the film')
  const size = { width: body.width & ~1, height: body.height & ~1 }
  // In a thread of its own: mixing and copying pictures would keep everybody else waiting.
  const task = { kind: 'film', config: shop.config, exchange, files, size, out, loudness: body.loudness ?? null } as const
  const began = performance.now()
  const sound = await shop.analysis.run(task, run.signal, (share, detail) => run.report(share, detail))
  const took = (performance.now() - began) / 1000
  return {
    detail: { code: 'ready' } as const,
    result: {
      path: out,
      name: `${called}${ending}`,
      bytes: statSync(out).size,
      made: { ...size, rate: body.rate, seconds, took, version: exchange.cutName, sound },
    },
  }
}

/** Measures the film of the version at hand as it would sound, without making it. */
async function loudness(shop: Workshop, run: JobRun) {
  const { doc, revision } = await shop.store.state(run.projectId)
  const files = exchangeFiles(await shop.store.files(run.projectId))
  const task = { kind: 'loudness', config: shop.config, exchange: layOut('', doc, files), files } as const
  const result = await shop.analysis.run(task, run.signal, (share, detail) => run.report(share, detail))
  return { detail: { code: 'done' } as const, result: { ...result, revision } }
}

async function originals(shop: Workshop, run: JobRun) {
  const { found, missing } = await findAgain(
    shop.config,
    shop.store,
    run.projectId,
    (looked) => run.report(0, { code: 'files-looked-at', files: looked }),
    run.signal,
  )
  for (const job of fileJobs(run.projectId, found, run.author)) await shop.queue.add(job)
  return { detail: { code: 'originals', found: found.map((f) => f.name), missing } as const }
}

export function safeName(name: string): string {
  return (
    name
      .normalize('NFKD')
      .replace(/[^\w\- ]+/g, '')
      .trim()
      .replace(/\s+/g, '-')
      .toLowerCase()
      .slice(0, 80) || 'project'
  )
}
