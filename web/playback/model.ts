import type { GatheredFile, ProjectState } from '@pendolo/api'
import { activeCut, layersOf, projectDesk, masterRecordings as recordingsOf } from '@pendolo/core/film'
import { channelsOf, tracksOf } from '@pendolo/core/mix'
import { type FileFacts, factsOfClip, frameGridOf, paceOf, pictureSpans, projectRate, standInOrder } from '@pendolo/core/project'
import { type Flicks, type FrameGrid, flicks, type PlacementMap, pictureSpansOf, ZERO } from '@pendolo/core/time'
import { mediaUrl } from '../data/client.ts'
import { filmFor, type ProjectFilm } from './film.ts'
import type { PlayClip, PlayInput, PlayModel, PlaySounds } from './types.ts'

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
    const worked = files.get(doc.clips[span.clipId].workedFileId ?? '')
    return {
      ...span,
      map: doc.placements[span.clipId] as PlacementMap,
      grid: frameGridOf(used) as FrameGrid,
      pace: paceOf(used),
      ...copiesOf(worked?.ready.tile ? worked : file),
    }
  })
  // Clips without a place are looked at by themselves, from their own beginning; no angle shows them.
  for (const c of Object.values(doc.clips)) {
    const file = files.get(c.fileId)
    const used = file && factsOfClip(file.facts, c)
    const grid = used && frameGridOf(used)
    if (!file || !grid || doc.placements[c.id] || c.state === 'aside') continue
    const map = { start: ZERO, rate: 1 }
    const urls = copiesOf(file)
    for (const span of pictureSpansOf(map, grid)) clips.push({ clipId: c.id, angleId: '', ...span, map, grid, pace: paceOf(used), ...urls })
  }
  return clips
}

/** Addresses of the stills that lie over pictures, by their files, as far as they are ready. */
function stillsOver({ doc, files }: ProjectState): Record<string, string> {
  const wanted = new Set(doc.cuts.flatMap((c) => layersOf(c).flatMap((l) => (l.fileId === undefined ? [] : [l.fileId]))))
  return Object.fromEntries(files.flatMap((f) => (wanted.has(f.id) && f.ready.tile ? [[f.id, mediaUrl(f.contentKey, 'drawing')]] : [])))
}

/** The light copies of a file, as far as they are made. */
function copiesOf({ contentKey, ready }: GatheredFile): Pick<PlayClip, 'tileUrl' | 'sharpUrl'> {
  return { tileUrl: ready.tile ? mediaUrl(contentKey, 'tile') : null, sharpUrl: ready.sharp ? mediaUrl(contentKey, 'sharp') : null }
}

/** What the engine plays of a project: its placed clips, what is heard of them, and the cut that is shown. */
export function playModel(project: ProjectState): PlayModel {
  const { doc } = project
  const film = filmFor(project)
  return {
    // In the order in which they stand in.
    angles: standInOrder(doc).flatMap((id) => doc.angles.find((a) => a.id === id) ?? []),
    exceptions: doc.exceptions,
    clips: playClips(project),
    sounds: playSounds(project),
    points: Object.fromEntries(doc.cuts.map((c) => [c.id, c.points])),
    cutId: activeCut(doc).id,
    runs: film.runs,
    rate: projectRate(doc.settings),
    standIn: doc.settings.standIn,
    fades: film.fades,
    layers: Object.fromEntries(doc.cuts.map((c) => [c.id, layersOf(c)])),
    stills: stillsOver(project),
    event: film.bounds.event,
    film: keptOf(film),
  }
}

/** What is heard of a project, as it is balanced. */
export function playSounds({ doc, files }: ProjectState): PlaySounds {
  const byId = new Map(files.map((f) => [f.id, f]))
  const { sources, nodes } = projectDesk(doc, (id) => byId.get(id)?.facts, {
    canBeHeard: (clip) => byId.get(clip.fileId)?.ready.sound === true,
    canBeApart: (clip) => channelsApart(byId.get(clip.fileId) as GatheredFile) !== null,
  })
  const inputs = sources.map(({ clipId, channel, number }): PlayInput => {
    const file = byId.get(doc.clips[clipId].fileId) as GatheredFile
    const map = doc.placements[clipId]
    const apart = channel === null ? null : channelsApart(file)
    return { clipId, map, url: apart?.url ?? mediaUrl(file.contentKey, 'sound'), from: apart ? apart.at(number) : null }
  })
  return { inputs, nodes }
}

/** One sound by itself, in two channels as it is, at a level left and right. */
export function plainSounds(list: readonly { readonly input: PlayInput; readonly left: number; readonly right: number }[]): PlaySounds {
  return {
    inputs: list.map((one) => one.input),
    nodes: list.map(({ input: { clipId }, left, right }, input) => ({ key: clipId, input, into: null, left, right, levels: [], processing: {}, delay: 0 })),
  }
}

/** The copy that has the channels of a file apart, and where in it each lies, by its number; null while there is none. */
function channelsApart({ contentKey, facts, ready }: GatheredFile): { url: string; at: (number: number) => { track: number; channel: number } } | null {
  const { audio } = facts
  if (!audio) return null
  // One or two channels are apart in the copy of the whole already.
  const channels = channelsOf(audio)
  if (channels.length <= 2 && !audio.streamChannels) return { url: mediaUrl(contentKey, 'sound'), at: (number) => ({ track: 0, channel: number - 1 }) }
  if (!ready.channels) return null
  const places = tracksOf(channels).flatMap((own, track) => own.map((_, channel) => ({ track, channel })))
  return { url: mediaUrl(contentKey, 'channels'), at: (number) => places[number - 1] }
}

/** What a clip, or one of its channels, gives to the desk; null where it cannot be heard. @param key as `channelKey` writes it; null: all of it */
export function inputOf({ doc, files }: ProjectState, clipId: string, key: string | null): PlayInput | null {
  const file = files.find((f) => f.id === doc.clips[clipId]?.fileId)
  const map = doc.placements[clipId]
  if (!map || !file?.facts.audio || !file.ready.sound) return null
  if (key === null) return { clipId, map, url: mediaUrl(file.contentKey, 'sound'), from: null }
  const found = channelsOf(file.facts.audio).find((c) => c.key === key)
  const apart = channelsApart(file)
  return found && apart ? { clipId, map, url: apart.url, from: apart.at(found.number) } : null
}

/** One channel of a clip by itself, in the middle at its own level, whatever the mix is; null where it cannot be heard. */
export function channelAlone(project: ProjectState, clipId: string, key: string): PlaySounds | null {
  const input = inputOf(project, clipId, key)
  return input && plainSounds([{ input, left: 1, right: 1 }])
}

/** Recordings that are the master together, on its time. */
export function masterRecordings({ doc, files }: ProjectState): { id: string; contentKey: string; ready: boolean; start: Flicks; end: Flicks }[] {
  const byId = new Map(files.map((f) => [f.id, f]))
  return recordingsOf(doc, (id) => byId.get(id)?.facts).map((r) => {
    const { contentKey, ready } = byId.get(doc.clips[r.id].fileId) as GatheredFile
    return { ...r, contentKey, ready: ready.peaks }
  })
}
