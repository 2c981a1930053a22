import { randomUUID } from 'node:crypto'
import { writeFile } from 'node:fs/promises'
import { type FindBody, speakerName } from '@pendolo/api'
import { channelsOf } from '@pendolo/core/mix'
import { HUE_COUNT, type Mark, type ProjectDoc, pulseOf } from '@pendolo/core/project'
import type { KnownBeats, PulseWishes } from '@pendolo/core/pulse'
import { FLICKS_PER_SECOND, secondsToFlicks } from '@pendolo/core/time'
import { artefactPath, completeFiles } from '../media/artefacts.ts'
import { present } from '../media/originals.ts'
import type { MicrophoneFile } from '../media/speech.ts'
import { MediaError } from '../media/words.ts'
import type { JobOutcome, JobRun } from '../ports/queue.ts'
import type { FileRow } from '../ports/store.ts'
import { joinedOf, masterOf, type Workshop } from './workshop.ts'

/** Listens to the master for beats, for parts and loud moments, or for speech. */
export async function findInMaster(shop: Workshop, run: JobRun): Promise<JobOutcome> {
  const { find = 'beats', microphones = [], tempoBpm, metre } = (run.payload ?? {}) as Partial<FindBody>
  const doc = await shop.store.doc(run.projectId)
  const files = await shop.store.files(run.projectId)
  const master = await heardMaster(shop, doc, files, run)
  run.report(0.02, { code: 'listening-master' })
  if (find === 'parts') return findParts(shop, run, doc, master)
  if (find === 'speech') return findSpeech(shop, run, master, await microphonesOf(shop, doc, files, microphones))
  return findBeats(shop, run, master, {
    ...(tempoBpm !== undefined && { tempoBpm }),
    ...(metre !== undefined && { metre }),
    known: knownBeats(doc, master.startSeconds),
  })
}

/** What is listened to, and where its beginning lies on the master's time. */
interface HeardMaster {
  readonly path: string
  readonly contentKey: string
  readonly facts: FileRow['facts']
  readonly startSeconds: number
}

/** The master's file, or one made of all recordings that are the master together. */
async function heardMaster(shop: Workshop, doc: ProjectDoc, files: readonly FileRow[], run: JobRun): Promise<HeardMaster> {
  const first = await masterOf(shop.config, doc, files)
  if (doc.master.clipIds.length === 1) return { ...first, startSeconds: 0 }
  return joinedOf(shop, doc, files, run)
}

/** Beats of locked stretches, in seconds of what is listened to: what lies around follows them. */
function knownBeats(doc: ProjectDoc, startSeconds: number): KnownBeats[] {
  const pulse = pulseOf(doc)
  return (pulse?.locked ?? []).flatMap(({ from, to }) => {
    const inside = pulse?.beats.flatMap((t, i) => (t >= from && t < to ? [i] : [])) ?? []
    if (inside.length < 2) return []
    return [
      {
        beats: inside.map((i) => (pulse?.beats[i] ?? 0) / FLICKS_PER_SECOND - startSeconds),
        downbeats: inside.flatMap((i, k) => (pulse?.downbeats.includes(i) ? [k] : [])),
      },
    ]
  })
}

async function findBeats(shop: Workshop, run: JobRun, master: HeardMaster, wishes: PulseWishes) {
  const at = (seconds: number) => secondsToFlicks(seconds + master.startSeconds)
  const task = { kind: 'pulse', config: shop.config, file: master.path, facts: master.facts, wishes } as const
  const found = await shop.analysis.run(task, run.signal, (share) =>
    run.report(0.02 + 0.95 * share, { code: share < 0.4 ? 'listening-master' : 'finding-beats' }),
  )
  await completeFiles([artefactPath(shop.config, master.contentKey, 'onsets')], ([part]) => writeFile(part, found.strength))
  await shop.store.edit(
    run.projectId,
    [
      {
        type: 'setPulse',
        pulse: {
          tempoBpm: found.tempoBpm,
          metre: found.metre,
          confidence: found.confidence,
          beats: found.beats.map(at),
          downbeats: found.downbeats,
          clarity: found.clarity,
          clarityStep: found.clarityStep,
          ...(master.startSeconds !== 0 && { clarityFrom: at(0) }),
          heard: master.contentKey,
          hits: found.hits.map(at),
        },
      },
    ],
    'find the pulse',
    { group: run.jobId, author: run.author },
  )
  return { detail: { code: 'beats', beats: found.beats.length, bars: found.downbeats.length } as const }
}

async function findParts(shop: Workshop, run: JobRun, doc: ProjectDoc, master: HeardMaster) {
  const at = (seconds: number) => secondsToFlicks(seconds + master.startSeconds)
  const pulse = pulseOf(doc)
  const grid = { beats: (pulse?.beats ?? []).map((t) => t / FLICKS_PER_SECOND - master.startSeconds), downbeats: pulse?.downbeats ?? [] }
  const task = { kind: 'parts', config: shop.config, file: master.path, facts: master.facts, grid } as const
  const found = await shop.analysis.run(task, run.signal, (share) => run.report(0.02 + 0.95 * share, { code: 'finding-parts' }))
  const names = [...new Set(found.sections.map((s) => s.name))]
  const marks: Mark[] = [
    ...found.sections.map(({ start, end, name }) => ({
      id: randomUUID(),
      time: at(start),
      end: at(end),
      kind: 'part' as const,
      name,
      hue: names.indexOf(name) % HUE_COUNT,
    })),
    ...found.loud.map((t) => ({ id: randomUUID(), time: at(t), kind: 'cue' as const, name: 'loud', hue: 0 })),
  ]
  await shop.store.edit(run.projectId, [{ type: 'found', kinds: ['part', 'cue'], marks }], 'find parts', {
    group: run.jobId,
    author: run.author,
  })
  return { detail: { code: 'parts', parts: found.sections.length, loud: found.loud.length } as const }
}

type Microphone = MicrophoneFile & { name: string; hue: number }

/** @param keys clips, or clips and one of their channels: each channel of a recorder may be somebody's microphone */
async function microphonesOf(shop: Workshop, doc: ProjectDoc, files: readonly FileRow[], keys: readonly string[]): Promise<Microphone[]> {
  const out: Microphone[] = []
  for (const key of keys) {
    const [id, channel] = key.split(' ')
    const clip = doc.clips[id]
    const file = clip && files.find((f) => f.id === clip.fileId)
    if (!file) throw new MediaError('one of the chosen microphones is no longer part of the project')
    if (!file.facts.audio) throw new MediaError(`${file.name} has no sound and cannot be a microphone`)
    const at = doc.placements[id]
    if (!at) throw new MediaError(`${file.name} has no place yet; line it up first, then its voice can be followed`)
    await present(shop.config, file)
    const only = channelsOf(file.facts.audio).find((c) => c.key === channel) ?? null
    if (channel !== undefined && !only) throw new MediaError(`${file.name} has no channel ${channel}`)
    const angle = doc.angles.find((a) => a.id === clip.angleId)
    const name = speakerName(doc, clip, file.name, only)
    const where = { start: at.start / FLICKS_PER_SECOND, rate: at.rate }
    out.push({ file: file.path, facts: file.facts, ...where, name, hue: only ? out.length % HUE_COUNT : (angle?.hue ?? 0), ...(only && { only }) })
  }
  return out
}

async function findSpeech(shop: Workshop, run: JobRun, master: HeardMaster, microphones: readonly Microphone[]) {
  const at = (seconds: number) => secondsToFlicks(seconds + master.startSeconds)
  const own = microphones.map((m) => ({ ...m, start: m.start - master.startSeconds }))
  const task = { kind: 'speech', config: shop.config, file: master.path, facts: master.facts, microphones: own } as const
  const found = await shop.analysis.run(task, run.signal, (share) => run.report(0.02 + 0.95 * share, { code: 'finding-voices' }))
  const marks = found.phrases.map(({ start, end, speaker }, i): Mark => {
    const who = speaker === null ? null : microphones[speaker]
    return {
      id: randomUUID(),
      time: at(start),
      end: at(end),
      kind: 'phrase',
      name: who ? who.name : `Phrase ${i + 1}`,
      hue: who ? who.hue : 0,
    }
  })
  const spans = found.spans.map(({ start, end, kind }) => ({ from: at(start), to: at(end), kind }))
  await shop.store.edit(run.projectId, [{ type: 'found', kinds: ['phrase'], marks, spans }], 'find speech', {
    group: run.jobId,
    author: run.author,
  })
  const talk = found.spans.filter((s) => s.kind === 'speech').reduce((sum, s) => sum + s.end - s.start, 0)
  return { detail: { code: 'phrases', phrases: marks.length, seconds: Math.round(talk) } as const }
}
