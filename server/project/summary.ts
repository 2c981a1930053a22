import { existsSync } from 'node:fs'
import type { JobResult, ProjectSummary } from '@pendolo/api'
import { activeCut } from '@pendolo/core/film'
import { anglesInUse, type FileFacts, type ProjectDoc, pictureSpans } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, secondsToFlicks } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { hasArtefact } from '../media/artefacts.ts'
import { isWorked } from '../media/originals.ts'
import type { FileRow } from '../ports/store.ts'
import { spaceOf } from './space.ts'

type Head = Pick<ProjectSummary, 'id' | 'name' | 'createdAt' | 'changedAt'>

/** A project of which nothing can be read. */
export function nothingKnown(row: Head): ProjectSummary {
  const nothing = {
    angles: 0,
    clips: 0,
    masterSeconds: 0,
    placed: 0,
    waiting: 0,
    beats: false,
    cuts: 0,
    missing: 0,
    space: { originals: 0, kept: 0 },
    picture: null,
    coverage: [],
  }
  return { id: row.id, name: row.name, createdAt: row.createdAt, changedAt: row.changedAt, ...nothing }
}

/** When a recording of the master ends, s of the master. */
function endSeconds(doc: ProjectDoc, clipId: string, facts: ReadonlyMap<string, FileFacts>): number {
  const { start, rate } = doc.placements[clipId] ?? { start: 0, rate: 1 }
  return start / FLICKS_PER_SECOND + rate * (facts.get(doc.clips[clipId]?.fileId ?? '')?.durationSeconds ?? 0)
}

function waits(doc: ProjectDoc): { placed: number; waiting: number } {
  const clips = Object.values(doc.clips).filter((c) => c.state === 'in' && !doc.master.clipIds.includes(c.id))
  const placed = clips.filter((c) => doc.placements[c.id]).length
  return { placed, waiting: clips.length - placed }
}

/** The middle of the first camera whose light copy is there. */
function pictureOf(doc: ProjectDoc, files: readonly FileRow[], config: Config): ProjectSummary['picture'] {
  const byId = new Map(files.map((f) => [f.id, f]))
  for (const angle of anglesInUse(doc))
    for (const clip of Object.values(doc.clips)) {
      const file = clip.angleId === angle.id && clip.state === 'in' ? byId.get(clip.fileId) : undefined
      if (file?.facts.video && hasArtefact(config, file.contentKey, 'tile'))
        return { contentKey: file.contentKey, seconds: Math.floor(file.facts.durationSeconds / 2) }
    }
  return null
}

/**
 * What a list of projects tells of one.
 * @param results what its work came to
 * @param config where light copies are
 */
export function summary(row: Head, doc: ProjectDoc, files: readonly FileRow[], results: readonly JobResult[], config: Config): ProjectSummary {
  const facts = new Map(files.map((f) => [f.id, f.facts]))
  const masterSeconds = Math.max(0, ...doc.master.clipIds.map((id) => endSeconds(doc, id, facts)))
  const length = Math.max(1, secondsToFlicks(masterSeconds))
  const spans = pictureSpans(doc, (id) => facts.get(id))
  const share = (t: number) => Math.max(0, Math.min(1, t / length))
  return {
    ...nothingKnown(row),
    angles: anglesInUse(doc).length,
    clips: Object.keys(doc.clips).length,
    masterSeconds,
    ...waits(doc),
    beats: doc.pulse !== null,
    cuts: Math.max(0, activeCut(doc).points.length - 1),
    missing: files.filter((f) => !isWorked(config, f) && !existsSync(f.path)).length,
    space: spaceOf(config, files, results),
    picture: pictureOf(doc, files, config),
    coverage: doc.angles.map((a) => ({
      hue: a.hue,
      spans: spans.filter((s) => s.angleId === a.id).map((s): [number, number] => [share(s.start), share(s.end)]),
    })),
  }
}
