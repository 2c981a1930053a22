import { activeCut, type EndFades, type FilmRun, filmOf, type Passage, type Shown, spanOnGrid } from '../film/index.ts'
import {
  type Clip,
  type FileFacts,
  factsOfClip,
  frameGridOf,
  type Layer,
  type PictureSpan,
  type ProjectDoc,
  pictureSpans,
  projectRate,
} from '../project/index.ts'
import { clipToMaster, type Flicks, flicks, frameAt, frameShownAt, frameStart, nextFrameStart, type Rate, secondsToFlicks, ZERO } from '../time/index.ts'

/** A gathered file as exchange files refer to it. */
export interface ExchangeFile {
  readonly id: string
  readonly name: string
  readonly path: string
  readonly facts: FileFacts
  /** Bytes, where known. */
  readonly size?: number
}

/** A run of frames of one source on the project's frame grid. */
export interface Segment {
  /** First frame on the tracks' own count, see {@link Exchange}, and number of frames. */
  readonly fromFrame: number
  readonly frames: number
  /** Frame of the master's time that is shown at the first one; null on a card. */
  readonly masterFrame: number | null
  /** null = nothing there (gap, black or a card). */
  readonly source: {
    readonly file: ExchangeFile
    /** Where its pictures are read: the file, or what was made of it. */
    readonly pictures: ExchangeFile
    readonly clipId: string
    /** Of those that show the clip, the one that is seen. */
    readonly angleId: string
    readonly angleName: string
    /** Frame of the file shown at the segment's first frame, 0 = the file's first picture. */
    readonly firstFrame: number
    readonly rate: number
  } | null
  readonly standIn: boolean
  /** Master time of the one picture that is held throughout. */
  readonly stillAt?: Flicks
  /** Words of a card. */
  readonly text?: string
}

/** What is seen together with the cut where one picture gives way to another. */
export interface GivingSegment extends Segment {
  readonly passage: Passage
}

/** An angle that is seen small over the picture, or behind it. */
export interface InsetSegment extends Segment {
  readonly layer: Layer
}

/** Part of a recording of the master on the tracks. */
export interface MasterSegment {
  readonly file: ExchangeFile
  readonly fromFrame: number
  readonly frames: number
  /** Frames of the recording, at the project's rate, before the part. */
  readonly firstFrame: number
}

/**
 * A project as exchange formats and the film need it: tracks of segments on the project's frames. The tracks follow
 * the programme. Their frames are counted so that the programme's first frame has the number that it has on the
 * master's time: a film without removed middles stands on the master's time as a whole. What was recorded before the first
 * kept range and behind the last one stands on the tracks of the angles all the same.
 */
export interface Exchange {
  readonly name: string
  readonly rate: Rate
  readonly dropFrame: boolean
  readonly startFrame: number
  readonly cutName: string
  /** First frame of all tracks: 0, or where a film begins that begins before the master. */
  readonly originFrame: number
  readonly fromFrame: number
  readonly toFrame: number
  readonly cut: Segment[]
  /** In order, as far as there are any. */
  readonly givings: GivingSegment[]
  readonly fades: EndFades
  /** What lies over the picture, counted as the tracks are; the lower ones first. */
  readonly layers: readonly {
    readonly layer: Layer
    readonly fromFrame: number
    readonly frames: number
    readonly masterFrame: number
    /** What a still shows. */
    readonly file?: ExchangeFile
  }[]
  /** Pictures of insets and backgrounds, in the order of their layers. */
  readonly insets: readonly InsetSegment[]
  /** The programme: where its runs lie on the tracks. */
  readonly runs: readonly { readonly fromFrame: number; readonly frames: number; readonly masterFrame: number | null; readonly fade: Flicks }[]
  readonly angles: { name: string; id: string; segments: Segment[] }[]
  readonly master: MasterSegment[]
  readonly doc: ProjectDoc
}

export class ExchangeError extends Error {
  readonly code = 'exchange'
}

/** A run on the tracks: their frame count, and the master's. */
interface Track {
  readonly fromFrame: number
  readonly frames: number
  readonly masterFrame: number | null
}

/**
 * Lays a version of the project out on its frame grid. A picture belongs to a frame by the one rule of core/time, asked
 * at the frame's start.
 * @param options.cutId version; the one at hand where none is named
 * @param options.part half-open range of the master's time to which the film is limited
 * @throws ExchangeError when nothing is placed, or the programme keeps nothing
 */
export function layOut(
  name: string,
  doc: ProjectDoc,
  files: ReadonlyMap<string, ExchangeFile>,
  { cutId, part }: { cutId?: string; part?: { from: Flicks; to: Flicks } } = {},
): Exchange {
  const rate = projectRate(doc.settings)
  const factsOf = (id: string) => files.get(id)?.facts
  const cut = doc.cuts.find((c) => c.id === cutId) ?? activeCut(doc)
  const film = filmOf(doc, factsOf, { cutId: cut.id, onGrid: true, ...(part && { part }) })
  const { master, event } = film.bounds
  if (master.end <= master.start) throw new ExchangeError('the project has no master yet, and nothing that is placed; choose one in Gather')
  const [first] = film.runs
  if (!first) throw new ExchangeError('nothing was recorded in what the film keeps; change its head or tail in Switch')
  const base = frameAt(first.from ?? ZERO, rate)
  const onTracks = (run: FilmRun): Track => ({
    fromFrame: base + frameAt(run.at, rate),
    frames: frameAt(run.length, rate),
    masterFrame: run.from === null ? null : frameAt(run.from, rate),
  })
  const tracks = film.runs.map(onTracks)
  const originFrame = Math.min(0, base)
  const wide = widened(tracks, originFrame, frameAt(event.end, rate) + 1)
  const spans = pictureSpans(doc, factsOf).map((s) => spanOnGrid(s, rate))
  const last = tracks[tracks.length - 1]
  return {
    name,
    rate,
    dropFrame: doc.settings.dropFrame,
    startFrame: doc.settings.startFrame,
    cutName: cut.name,
    originFrame,
    fromFrame: base,
    toFrame: last.fromFrame + last.frames,
    cut: film.plan().map(({ at, length, from, standIn, run, ...shown }) => {
      const fromFrame = base + frameAt(at, rate)
      const frames = frameAt(length, rate)
      if (from === null) return { fromFrame, frames, masterFrame: null, source: null, standIn, ...(run.text !== undefined && { text: run.text }) }
      return segment(doc, files, rate, { fromFrame, frames, masterFrame: frameAt(from, rate) }, { ...shown, standIn })
    }),
    givings: film.givings().flatMap(({ at, from, length, passage, ...shown }) => {
      // A frame shows what is seen at its start.
      const masterFrame = frameAt(nextFrameStart(from, rate), rate)
      const frames = frameAt(nextFrameStart(flicks(from + length), rate), rate) - masterFrame
      const fromFrame = base + frameAt(nextFrameStart(at, rate), rate)
      // What sinks into black or white shows no other picture.
      const clipId = passage.kind === 'dissolve' ? shown.clipId : null
      return frames > 0 ? [{ ...segment(doc, files, rate, { fromFrame, frames, masterFrame }, { ...shown, clipId }), passage }] : []
    }),
    fades: film.fades,
    layers: film.layerStretches().flatMap(({ layer, at, from, length }) => {
      const masterFrame = frameAt(nextFrameStart(from, rate), rate)
      const frames = frameAt(nextFrameStart(flicks(from + length), rate), rate) - masterFrame
      const file = layer.fileId === undefined ? undefined : files.get(layer.fileId)
      return frames > 0 ? [{ layer, fromFrame: base + frameAt(nextFrameStart(at, rate), rate), frames, masterFrame, ...(file && { file }) }] : []
    }),
    insets: film.insetStretches().flatMap(({ layer, at, from, length, ...shown }) => {
      const masterFrame = frameAt(nextFrameStart(from, rate), rate)
      const frames = frameAt(nextFrameStart(flicks(from + length), rate), rate) - masterFrame
      const fromFrame = base + frameAt(nextFrameStart(at, rate), rate)
      return frames > 0 ? [{ ...segment(doc, files, rate, { fromFrame, frames, masterFrame }, shown), layer }] : []
    }),
    runs: tracks.map((t, i) => ({ ...t, fade: film.runs[i].fade })),
    angles: doc.angles
      .map((angle) => ({
        id: angle.id,
        name: angle.name,
        segments: angleLanes(
          doc,
          files,
          rate,
          spans.filter((s) => s.angleId === angle.id),
          wide,
        ),
      }))
      .flatMap((a) => a.segments.map((segments, i) => ({ id: a.id, name: i === 0 ? a.name : `${a.name} (${i + 1})`, segments }))),
    master: masterSegments(doc, files, rate, wide),
    doc,
  }
}

/** How a stretch of the cut begins where it does not begin at once; `half` frames lie before the cut, as many behind it. */
export interface CutTransition {
  readonly kind: Passage['kind']
  readonly half: number
}

/** The transitions of the cut by the index of the stretch that they lead to; only where both sides are there and follow each other. */
export function cutTransitions({ cut, givings, rate }: Pick<Exchange, 'cut' | 'givings' | 'rate'>): Map<number, CutTransition> {
  const byFrame = new Map(givings.map(({ passage }) => [frameAt(passage.at, rate), passage]))
  const out = new Map<number, CutTransition>()
  for (const [i, { masterFrame, source }] of cut.entries()) {
    const before = cut[i - 1]
    const passage = masterFrame === null ? undefined : byFrame.get(masterFrame)
    if (!passage || !source || !before?.source || before.masterFrame === null || before.masterFrame + before.frames !== masterFrame) continue
    out.set(i, { kind: passage.kind, half: Math.max(1, Math.round(passage.half / frameStart(1, rate))) })
  }
  return out
}

/** Runs reaching out over what was recorded before the first kept range and behind the last one, as far as the tracks go. */
function widened(tracks: readonly Track[], originFrame: number, endFrame: number): Track[] {
  const out = tracks.map((t) => ({ ...t }))
  const [first, last] = [out[0], out[out.length - 1]]
  if (last.masterFrame !== null) last.frames = Math.max(last.frames, endFrame - last.masterFrame)
  const before = first.masterFrame === null ? 0 : first.fromFrame - originFrame
  if (first.masterFrame !== null)
    Object.assign(first, { fromFrame: first.fromFrame - before, masterFrame: first.masterFrame - before, frames: first.frames + before })
  return out
}

/** The part of a range of master frames [from, to) that a run shows; null where it shows none of it. */
function within(track: Track, from: number, to: number): Track | null {
  if (track.masterFrame === null) return null
  const begin = Math.max(from, track.masterFrame)
  const end = Math.min(to, track.masterFrame + track.frames)
  return end > begin ? { fromFrame: track.fromFrame + (begin - track.masterFrame), frames: end - begin, masterFrame: begin } : null
}

/** The recordings of the master on the tracks: each as long as it lasts. */
function masterSegments(doc: ProjectDoc, files: ReadonlyMap<string, ExchangeFile>, rate: Rate, tracks: readonly Track[]): MasterSegment[] {
  return doc.master.clipIds.flatMap((id) => {
    const file = files.get(doc.clips[id]?.fileId ?? '')
    const placement = doc.placements[id]
    if (!file || !placement) return []
    const from = frameAt(placement.start, rate)
    const to = frameAt(clipToMaster(secondsToFlicks(file.facts.durationSeconds), placement), rate)
    return tracks.flatMap((track) => {
      const piece = within(track, from, to)
      return piece ? [{ file, fromFrame: piece.fromFrame, frames: piece.frames, firstFrame: (piece.masterFrame as number) - from }] : []
    })
  })
}

function segment(
  doc: ProjectDoc,
  files: ReadonlyMap<string, ExchangeFile>,
  rate: Rate,
  track: Track,
  { clipId, angleId, standIn, stillAt = null }: Pick<Shown, 'clipId' | 'angleId' | 'standIn'> & { readonly stillAt?: Flicks | null },
): Segment {
  const clip = clipId ? doc.clips[clipId] : undefined
  const gathered = clip && files.get(clip.fileId)
  const asUsed = (one: ExchangeFile) => ({ ...one, facts: factsOfClip(one.facts, clip as Clip) })
  const file = gathered && asUsed(gathered)
  const worked = clip?.workedFileId === undefined ? undefined : files.get(clip.workedFileId)
  const placement = clipId ? doc.placements[clipId] : undefined
  const grid = file && frameGridOf(file.facts)
  const nothing = { ...track, source: null, standIn }
  if (!clip || !file || !placement || !grid || track.masterFrame === null) return nothing
  const firstFrame = frameShownAt(stillAt ?? frameStart(track.masterFrame, rate), placement, grid)
  if (firstFrame === null) return nothing
  const angle = doc.angles.find((a) => a.id === (angleId ?? clip.angleId))
  return {
    ...track,
    source: {
      file,
      pictures: worked ? asUsed(worked) : file,
      clipId: clip.id,
      angleId: angle?.id ?? '',
      angleName: angle?.name ?? '',
      firstFrame,
      rate: placement.rate,
    },
    standIn,
    ...(stillAt !== null && { stillAt }),
  }
}

/** Clips of an angle on as few lanes as keep them from overlapping; the first lane holds the earliest. */
function angleLanes(doc: ProjectDoc, files: ReadonlyMap<string, ExchangeFile>, rate: Rate, spans: PictureSpan[], tracks: readonly Track[]): Segment[][] {
  const lanes: Segment[][] = []
  const ends: number[] = []
  const pieces = tracks.flatMap((track) =>
    spans.flatMap((span) => {
      const piece = within(track, frameAt(span.start, rate), frameAt(span.end, rate))
      const one = piece && segment(doc, files, rate, piece, { ...span, standIn: false })
      return one?.source ? [one] : []
    }),
  )
  for (const one of pieces) {
    let lane = ends.findIndex((end) => end <= one.fromFrame)
    if (lane < 0) lane = lanes.push([]) - 1
    lanes[lane].push(one)
    ends[lane] = one.fromFrame + one.frames
  }
  return lanes.length > 0 ? lanes : [[]]
}
