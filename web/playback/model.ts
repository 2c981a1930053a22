import type { ProjectState } from '@pendolo/api'
import { filmRange } from '@pendolo/core/formats'
import { heardGains } from '@pendolo/core/mix'
import { DEFAULT_STRIP, eventRange, type FileFacts, frameGridOf, pictureSpans, pointsOf } from '@pendolo/core/project'
import { type Flicks, type FrameGrid, flicks, type PlacementMap, pictureSpansOf, secondsToFlicks, ZERO } from '@pendolo/core/time'
import { mediaUrl } from '../data/client.ts'
import type { PlayModel, PlaySound } from './types.ts'

/** Where the master ends; it begins at 0. */
export function masterEnd(project: ProjectState): Flicks {
  const clip = project.doc.masterClipId ? project.doc.clips[project.doc.masterClipId] : undefined
  const file = clip && project.files.find((f) => f.id === clip.fileId)
  return file ? secondsToFlicks(file.facts.durationSeconds) : ZERO
}

/** The event from its first picture or sound to its last; the master is somewhere in it. */
export function eventOf(project: ProjectState): { start: Flicks; end: Flicks } {
  const { start, end } = eventRange(project.doc, (id) => project.files.find((f) => f.id === id)?.facts)
  return { start, end: flicks(Math.max(end, masterEnd(project))) }
}

/** Whether an angle has sound, and no picture in any of its files. */
export function soundOnly(project: ProjectState, angleId: string): boolean {
  const clips = Object.values(project.doc.clips).filter((c) => c.angleId === angleId && c.state !== 'aside')
  return clips.length > 0 && clips.every((c) => !project.files.find((f) => f.id === c.fileId)?.facts.video)
}

/** What the engine plays of a project: its placed clips, what is heard of them, and the cut that is shown. */
export function playModel(project: ProjectState): PlayModel {
  const { doc } = project
  const files = new Map(project.files.map((f) => [f.id, f]))
  const facts = (id: string): FileFacts | undefined => files.get(id)?.facts
  const spans = pictureSpans(doc, facts)
  const clips = spans.map((span) => {
    const file = files.get(doc.clips[span.clipId].fileId) as ProjectState['files'][number]
    return {
      ...span,
      map: doc.placements[span.clipId] as PlacementMap,
      grid: frameGridOf(file.facts) as FrameGrid,
      tileUrl: file.ready.tile ? mediaUrl(file.contentKey, 'tile') : null,
      sharpUrl: file.ready.sharp ? mediaUrl(file.contentKey, 'sharp') : null,
    }
  })
  // Clips without a place are looked at by themselves, from their own beginning; no angle shows them.
  for (const c of Object.values(doc.clips)) {
    const file = files.get(c.fileId)
    const grid = file && frameGridOf(file.facts)
    if (!file || !grid || doc.placements[c.id] || c.state === 'aside') continue
    const map = { start: ZERO, rate: 1 }
    const urls = { tileUrl: file.ready.tile ? mediaUrl(file.contentKey, 'tile') : null, sharpUrl: file.ready.sharp ? mediaUrl(file.contentKey, 'sharp') : null }
    for (const span of pictureSpansOf(map, grid)) clips.push({ clipId: c.id, angleId: '', ...span, map, grid, ...urls })
  }
  return {
    angles: doc.angles.map(({ id, framing }) => ({ id, framing })),
    clips,
    sounds: playSounds(project),
    points: pointsOf(doc.cuts.find((c) => c.id === doc.activeCutId) ?? doc.cuts[0]),
    standIn: doc.settings.standIn,
    event: eventOf(project),
    film: filmRange(doc, masterEnd(project), eventOf(project)),
  }
}

function playSounds(project: ProjectState): PlaySound[] {
  const { doc } = project
  const files = new Map(project.files.map((f) => [f.id, f]))
  const clips = Object.values(doc.clips).filter((c) => c.state === 'in' && doc.placements[c.id] && files.get(c.fileId)?.ready.sound)
  const gains = heardGains(clips.map((c) => doc.strips[c.id] ?? { ...DEFAULT_STRIP, on: c.id === doc.masterClipId }))
  return clips.map((c, i) => ({
    clipId: c.id,
    url: mediaUrl(files.get(c.fileId)?.contentKey ?? '', 'sound'),
    map: doc.placements[c.id],
    gain: gains[i],
    pan: 0,
  }))
}
