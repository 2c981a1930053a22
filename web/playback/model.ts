import type { GatheredFile, ProjectState } from '@pendolo/api'
import { activeCut } from '@pendolo/core/film'
import { channelsOf, heardChannels, heardGains, isChanged, masterShares } from '@pendolo/core/mix'
import { type Clip, type FileFacts, factsOfClip, frameGridOf, paceOf, pictureSpans, pointsOf, standInOrder, stripOf } from '@pendolo/core/project'
import { clipToMaster, type Flicks, type FrameGrid, flicks, type PlacementMap, pictureSpansOf, secondsToFlicks, ZERO } from '@pendolo/core/time'
import { mediaUrl } from '../data/client.ts'
import { filmFor, type ProjectFilm } from './film.ts'
import type { PlayClip, PlayModel, PlaySound } from './types.ts'

/** Where the master ends; it begins at 0 unless several recordings are it together. */
export function masterEnd(project: ProjectState): Flicks {
  return filmFor(project).bounds.master.end
}

/** The event from its first picture or sound to its last; the master is somewhere in it. */
export function eventOf(project: ProjectState): { start: Flicks; end: Flicks } {
  return filmFor(project).bounds.event
}

/** From where a film begins on the master to where it ends. */
export function keptOf({ runs, bounds }: ProjectFilm): { start: Flicks; end: Flicks } {
  const kept = runs.filter((r) => r.from !== null)
  const [first, last] = [kept.at(0), kept.at(-1)]
  return first && last ? { start: first.from as Flicks, end: flicks((last.from as Flicks) + last.length) } : bounds.master
}

/** Ranges of the master, from its first recording to its last, that the film leaves out; ascending. */
export function leftOutOf({ runs }: ProjectFilm, recorded: { start: Flicks; end: Flicks }): { start: Flicks; end: Flicks }[] {
  const kept = runs.flatMap((r) => (r.from === null ? [] : [{ start: r.from, end: flicks(r.from + r.length) }])).sort((a, b) => a.start - b.start)
  const out: { start: Flicks; end: Flicks }[] = []
  let at: number = recorded.start
  for (const { start, end } of kept) {
    if (start > at) out.push({ start: flicks(at), end: start })
    at = Math.max(at, end)
  }
  if (at < recorded.end) out.push({ start: flicks(at), end: recorded.end })
  return out
}

/** Whether an angle has sound, and no picture in any of its files. */
export function soundOnly(project: ProjectState, angleId: string): boolean {
  const clips = Object.values(project.doc.clips).filter((c) => c.angleId === angleId && c.state !== 'aside')
  return clips.length > 0 && clips.every((c) => !project.files.find((f) => f.id === c.fileId)?.facts.video)
}

/** The clips of a project that have pictures, as the engine and small pictures need them. */
export function playClips(project: ProjectState): PlayClip[] {
  const { doc } = project
  const files = new Map(project.files.map((f) => [f.id, f]))
  const facts = (id: string): FileFacts | undefined => files.get(id)?.facts
  const spans = pictureSpans(doc, facts)
  const clips = spans.map((span) => {
    const file = files.get(doc.clips[span.clipId].fileId) as ProjectState['files'][number]
    const used = factsOfClip(file.facts, doc.clips[span.clipId])
    return {
      ...span,
      map: doc.placements[span.clipId] as PlacementMap,
      grid: frameGridOf(used) as FrameGrid,
      pace: paceOf(used),
      tileUrl: file.ready.tile ? mediaUrl(file.contentKey, 'tile') : null,
      sharpUrl: file.ready.sharp ? mediaUrl(file.contentKey, 'sharp') : null,
    }
  })
  // Clips without a place are looked at by themselves, from their own beginning; no angle shows them.
  for (const c of Object.values(doc.clips)) {
    const file = files.get(c.fileId)
    const used = file && factsOfClip(file.facts, c)
    const grid = used && frameGridOf(used)
    if (!file || !grid || doc.placements[c.id] || c.state === 'aside') continue
    const map = { start: ZERO, rate: 1 }
    const urls = { tileUrl: file.ready.tile ? mediaUrl(file.contentKey, 'tile') : null, sharpUrl: file.ready.sharp ? mediaUrl(file.contentKey, 'sharp') : null }
    for (const span of pictureSpansOf(map, grid)) clips.push({ clipId: c.id, angleId: '', ...span, map, grid, pace: paceOf(used), ...urls })
  }
  return clips
}

/** What the engine plays of a project: its placed clips, what is heard of them, and the cut that is shown. */
export function playModel(project: ProjectState): PlayModel {
  const { doc } = project
  const film = filmFor(project)
  return {
    // In the order in which they stand in.
    angles: standInOrder(doc).map((id) => ({ id, framing: doc.angles.find((a) => a.id === id)?.framing ?? 'fit' })),
    clips: playClips(project),
    sounds: playSounds(project),
    points: Object.fromEntries(doc.cuts.map((c) => [c.id, pointsOf(c)])),
    cutId: activeCut(doc).id,
    runs: film.runs,
    standIn: doc.settings.standIn,
    event: film.bounds.event,
    film: keptOf(film),
  }
}

function playSounds(project: ProjectState): PlaySound[] {
  const { doc } = project
  const files = new Map(project.files.map((f) => [f.id, f]))
  const clips = Object.values(doc.clips).filter((c) => c.state === 'in' && doc.placements[c.id] && files.get(c.fileId)?.ready.sound)
  const gains = heardGains(clips.map((c) => stripOf(doc, c.id)))
  const levels = masterLevels(project)
  return clips.map((c, i) => {
    const file = files.get(c.fileId) as GatheredFile
    const changed = file.facts.audio && isChanged(file.facts.audio, c.channels) ? playChannels(file, c.channels ?? {}) : null
    return {
      clipId: c.id,
      url: mediaUrl(file.contentKey, 'sound'),
      map: doc.placements[c.id],
      gain: gains[i],
      pan: 0,
      ...changed,
      ...(levels.has(c.id) && { levels: levels.get(c.id) }),
    }
  })
}

/** The copy that has the channels of a file apart, and where in it each lies, by its number; null while there is none. */
function channelsApart({ contentKey, facts, ready }: GatheredFile): { url: string; at: (number: number) => { track: number; channel: number } } | null {
  const { audio } = facts
  if (!audio) return null
  // One or two channels are apart in the copy of the whole already.
  if (channelsOf(audio).length <= 2 && !audio.streamChannels) return { url: mediaUrl(contentKey, 'sound'), at: (number) => ({ track: 0, channel: number - 1 }) }
  return ready.channels ? { url: mediaUrl(contentKey, 'channels'), at: (number) => ({ track: number - 1, channel: 0 }) } : null
}

function playChannels(file: GatheredFile, said: NonNullable<Clip['channels']>): Pick<PlaySound, 'url' | 'channels'> | null {
  const apart = channelsApart(file)
  if (!apart || !file.facts.audio) return null
  return { url: apart.url, channels: heardChannels(file.facts.audio, said).map(({ number, left, right }) => ({ ...apart.at(number), left, right })) }
}

/** One channel of a clip by itself, in the middle at its own level, whatever the mix is; null where it cannot be heard. */
export function channelAlone({ doc, files }: ProjectState, clipId: string, key: string): PlaySound | null {
  const file = files.find((f) => f.id === doc.clips[clipId]?.fileId)
  const map = doc.placements[clipId]
  const found = file?.facts.audio && channelsOf(file.facts.audio).find((c) => c.key === key)
  const apart = file?.ready.sound ? channelsApart(file) : null
  return map && found && apart ? { clipId, map, gain: 1, pan: 0, url: apart.url, channels: [{ ...apart.at(found.number), left: 1, right: 1 }] } : null
}

/** Recordings that are the master together, on its time. */
export function masterRecordings({ doc, files }: ProjectState): { id: string; contentKey: string; ready: boolean; start: Flicks; end: Flicks }[] {
  return doc.master.clipIds.flatMap((id) => {
    const file = files.find((f) => f.id === doc.clips[id]?.fileId)
    const placement = doc.placements[id]
    if (!file || !placement) return []
    const { contentKey, ready, facts } = file
    return [{ id, contentKey, ready: ready.peaks, start: placement.start, end: clipToMaster(secondsToFlicks(facts.durationSeconds), placement) }]
  })
}

/** How they give way to each other; empty where there is but one. */
export function masterLevels(project: ProjectState): ReturnType<typeof masterShares> {
  const { join, fade } = project.doc.master
  const recordings = masterRecordings(project)
  return recordings.length > 1 ? masterShares(recordings, join, fade) : new Map()
}
