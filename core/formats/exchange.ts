import { type PictureSpan, type PlannedStretch, planFilm } from '../cut/index.ts'
import { eventRange, type FileFacts, frameGridOf, type ProjectDoc, pictureSpans, pointsOf, projectRate } from '../project/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameAt, frameShownAt, frameStart, nextFrameStart, type Rate, secondsToFlicks, ZERO } from '../time/index.ts'

/** A gathered file as exchange files refer to it. */
export interface ExchangeFile {
  readonly id: string
  readonly name: string
  readonly path: string
  readonly facts: FileFacts
}

/** A run of frames of one source on the project's frame grid. */
export interface Segment {
  /** First project frame, counted from master time 0, and number of project frames. */
  readonly fromFrame: number
  readonly frames: number
  /** null = nothing there (gap or black). */
  readonly source: {
    readonly file: ExchangeFile
    readonly clipId: string
    readonly angleName: string
    /** Frame of the file shown at the segment's first project frame, 0 = the file's first picture. */
    readonly firstFrame: number
    readonly rate: number
  } | null
  readonly standIn: boolean
}

/** A project as exchange formats need it: tracks of segments on the project's frames. */
export interface Exchange {
  readonly name: string
  readonly rate: Rate
  readonly dropFrame: boolean
  readonly startFrame: number
  readonly cutName: string
  /** First project frame of all tracks: 0, or where a film begins that begins before the master. */
  readonly originFrame: number
  readonly fromFrame: number
  readonly toFrame: number
  readonly cut: Segment[]
  readonly angles: { name: string; id: string; segments: Segment[] }[]
  readonly master: { file: ExchangeFile; frames: number } | null
  readonly doc: ProjectDoc
}

export class ExchangeError extends Error {
  readonly code = 'exchange'
}

/** A film may begin so long before the first recording, and end so long after the last one: a title, a quiet end. */
const QUIET = 60 * FLICKS_PER_SECOND

/**
 * Half-open range of master time that the film covers: what is kept, as far as something was recorded near it, else from
 * zero to the master's end.
 * @param event where anything was recorded
 */
export function filmRange(doc: ProjectDoc, masterDuration: Flicks, event: { start: Flicks; end: Flicks }): { start: Flicks; end: Flicks } {
  const rate = projectRate(doc.settings)
  const within = (time: Flicks) => flicks(Math.max(Math.min(ZERO, event.start) - QUIET, Math.min(Math.max(masterDuration, event.end) + QUIET, time)))
  const end = doc.keep.end === null ? frameStart(frameAt(masterDuration, rate), rate) : within(doc.keep.end)
  return { start: nextFrameStart(within(doc.keep.start ?? ZERO), rate), end: nextFrameStart(end, rate) }
}

/**
 * Lays the project out on its frame grid. A picture belongs to a project frame by the one rule of core/time, asked
 * at the frame's start.
 * @throws ExchangeError when there is no master
 */
export function layOut(name: string, doc: ProjectDoc, files: ReadonlyMap<string, ExchangeFile>): Exchange {
  const rate = projectRate(doc.settings)
  const masterClip = doc.masterClipId ? doc.clips[doc.masterClipId] : undefined
  const masterFile = masterClip && files.get(masterClip.fileId)
  if (!masterFile) throw new ExchangeError('the project has no master yet; choose one in Gather')
  const range = filmRange(
    doc,
    secondsToFlicks(masterFile.facts.durationSeconds),
    eventRange(doc, (id) => files.get(id)?.facts),
  )
  if (range.end <= range.start) throw new ExchangeError('nothing was recorded in what the film keeps; change its head or tail in Switch')
  const origin = flicks(Math.min(ZERO, range.start))
  const cut = doc.cuts.find((c) => c.id === doc.activeCutId) ?? doc.cuts[0]
  const spans = pictureSpans(doc, (id) => files.get(id)?.facts)
  const order = doc.angles.map((a) => a.id)
  const stretches = planFilm(
    onGrid(pointsOf(cut), rate),
    spans.map((s) => spanOnGrid(s, rate)),
    order,
    range.start,
    range.end,
    doc.settings.standIn,
  )
  const segmentOf = (s: PlannedStretch): Segment => segment(doc, files, rate, s.start, s.end, s.clipId, s.standIn)
  return {
    name,
    rate,
    dropFrame: doc.settings.dropFrame,
    startFrame: doc.settings.startFrame,
    cutName: cut.name,
    originFrame: frameAt(origin, rate),
    fromFrame: frameAt(range.start, rate),
    toFrame: frameAt(range.end, rate),
    cut: stretches.map(segmentOf),
    angles: doc.angles
      .map((angle) => ({
        id: angle.id,
        name: angle.name,
        segments: angleLanes(
          doc,
          files,
          rate,
          spans.filter((s) => s.angleId === angle.id),
          origin,
        ),
      }))
      .flatMap((a) => a.segments.map((segments, i) => ({ id: a.id, name: i === 0 ? a.name : `${a.name} (${i + 1})`, segments }))),
    master: { file: masterFile, frames: frameAt(secondsToFlicks(masterFile.facts.durationSeconds), rate) },
    doc,
  }
}

function onGrid<T extends { readonly time: Flicks }>(points: readonly T[], rate: Rate): T[] {
  return points.map((p) => ({ ...p, time: nextFrameStart(p.time, rate) }))
}

/** A project frame has the clip's picture when its start lies in the span: both ends move up to the next frame start. */
function spanOnGrid(span: PictureSpan, rate: Rate): PictureSpan {
  return { ...span, start: nextFrameStart(span.start, rate), end: nextFrameStart(span.end, rate) }
}

function segment(
  doc: ProjectDoc,
  files: ReadonlyMap<string, ExchangeFile>,
  rate: Rate,
  start: Flicks,
  end: Flicks,
  clipId: string | null,
  standIn: boolean,
): Segment {
  const fromFrame = frameAt(start, rate)
  const frames = frameAt(end, rate) - fromFrame
  const clip = clipId ? doc.clips[clipId] : undefined
  const file = clip && files.get(clip.fileId)
  const placement = clipId ? doc.placements[clipId] : undefined
  const grid = file && frameGridOf(file.facts)
  if (!clip || !file || !placement || !grid) return { fromFrame, frames, source: null, standIn }
  const firstFrame = frameShownAt(start, placement, grid)
  if (firstFrame === null) return { fromFrame, frames, source: null, standIn }
  const angleName = doc.angles.find((a) => a.id === clip.angleId)?.name ?? ''
  return { fromFrame, frames, source: { file, clipId: clip.id, angleName, firstFrame, rate: placement.rate }, standIn }
}

/** Clips of an angle on as few lanes as keep them from overlapping; the first lane holds the earliest. */
function angleLanes(doc: ProjectDoc, files: ReadonlyMap<string, ExchangeFile>, rate: Rate, spans: PictureSpan[], origin: Flicks): Segment[][] {
  const lanes: Segment[][] = []
  const ends: number[] = []
  for (const span of spans) {
    // What a camera saw before the tracks begin is outside the film and cut off here.
    const grid = spanOnGrid(span, rate)
    const start = flicks(Math.max(origin, grid.start))
    if (grid.end <= start) continue
    const one = segment(doc, files, rate, start, grid.end, span.clipId, false)
    if (!one.source || one.frames <= 0) continue
    let lane = ends.findIndex((end) => end <= one.fromFrame)
    if (lane < 0) lane = lanes.push([]) - 1
    lanes[lane].push(one)
    ends[lane] = one.fromFrame + one.frames
  }
  return lanes.length > 0 ? lanes : [[]]
}
