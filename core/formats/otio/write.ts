import { marksOnMaster, startFrameOf } from '../../project/index.ts'
import { FLICKS_PER_SECOND, frameAt, rateToNumber } from '../../time/index.ts'
import { type CutTransition, cutTransitions, type Exchange, type ExchangeFile, type MasterSegment } from '../exchange.ts'
import { type PacedSegment, pacedCut } from '../paced.ts'
import type { OtioObject, RationalTime, TimeRange } from './types.ts'

/** Speeds nearer to 1 than this are clock drift: kept exactly in the metadata, not as a retiming effect. */
const RETIME_FROM = 0.001

/**
 * Writes OpenTimelineIO JSON: a stack with the cut, every angle with its clips in place, and the master; marks on the stack.
 * Source ranges start at the source's own frame numbers and last project frames; exact placements stand in the
 * metadata of each clip under "pendolo", in flicks.
 */
export function writeOtio(exchange: Exchange): string {
  const rate = rateToNumber(exchange.rate)
  const cut = pacedCut(exchange)
  const cutTrack = track(`Cut: ${exchange.cutName}`, 'Video', lane(exchange, cut, cutTransitions({ ...exchange, cut })))
  const angles = exchange.angles.map((a) => track(a.name, 'Video', lane(exchange, a.segments), { pendolo: { angleId: a.id } }))
  const sound = exchange.master.length > 0 ? masterLanes(exchange).map((children, i) => track(i === 0 ? 'Master' : `Master (${i + 1})`, 'Audio', children)) : []
  const stack: OtioObject = {
    OTIO_SCHEMA: 'Stack.1',
    name: 'tracks',
    metadata: {},
    source_range: null,
    effects: [],
    enabled: true,
    markers: markers(exchange, rate),
    children: [...angles, cutTrack, ...sound],
  }
  const timeline: OtioObject = {
    OTIO_SCHEMA: 'Timeline.1',
    name: exchange.name,
    global_start_time: time(exchange.startFrame + exchange.originFrame, rate),
    tracks: stack,
    metadata: { pendolo: { rate: exchange.doc.settings.rate, dropFrame: exchange.dropFrame, cutStartsAtFrame: exchange.fromFrame } },
  }
  return `${JSON.stringify(timeline, null, 1)}\n`
}

function time(value: number, rate: number): RationalTime {
  return { OTIO_SCHEMA: 'RationalTime.1', rate, value }
}

function range(start: RationalTime, duration: RationalTime): TimeRange {
  return { OTIO_SCHEMA: 'TimeRange.1', start_time: start, duration }
}

function track(name: string, kind: 'Video' | 'Audio', children: OtioObject[], metadata: Record<string, unknown> = {}): OtioObject {
  return { OTIO_SCHEMA: 'Track.1', name, kind, metadata, source_range: null, effects: [], markers: [], enabled: true, children }
}

function gap(frames: number, rate: number): OtioObject {
  return { OTIO_SCHEMA: 'Gap.1', name: '', metadata: {}, source_range: range(time(0, rate), time(frames, rate)), effects: [], markers: [], enabled: true }
}

function transition({ kind, half }: CutTransition, rate: number): OtioObject {
  return {
    OTIO_SCHEMA: 'Transition.1',
    name: kind,
    transition_type: kind === 'dissolve' ? 'SMPTE_Dissolve' : 'Custom_Transition',
    in_offset: time(half, rate),
    out_offset: time(half, rate),
    metadata: { pendolo: { kind } },
  }
}

function lane(exchange: Exchange, segments: PacedSegment[], transitions: ReadonlyMap<number, CutTransition> = new Map()): OtioObject[] {
  const rate = rateToNumber(exchange.rate)
  const out: OtioObject[] = []
  let at = exchange.originFrame
  for (const [i, segment] of segments.entries()) {
    if (segment.fromFrame > at) out.push(gap(segment.fromFrame - at, rate))
    const giving = transitions.get(i)
    if (giving) out.push(transition(giving, rate))
    out.push(segment.source ? clip(exchange, segment, rate) : gap(segment.frames, rate))
    at = segment.fromFrame + segment.frames
  }
  return out
}

function clip(exchange: Exchange, segment: PacedSegment, rate: number): OtioObject {
  const source = segment.source as NonNullable<PacedSegment['source']>
  const video = source.file.facts.video as NonNullable<ExchangeFile['facts']['video']>
  // A still counts as the project does, and is as long as it is wanted.
  const own = video.still ? rate : rateToNumber(video.rate)
  const origin = startFrameOf(source.file.facts)
  const placement = exchange.doc.placements[source.clipId]
  return {
    OTIO_SCHEMA: 'Clip.1',
    name: source.file.name,
    metadata: {
      pendolo: {
        angle: source.angleName,
        startFlicks: placement.start,
        rate: placement.rate,
        ...(placement.jumps && { jumps: placement.jumps }),
        method: placement.method,
        verdict: placement.verdict,
        standIn: segment.standIn,
        ...(segment.ramp && { speeds: segment.ramp }),
      },
    },
    source_range: range(time(origin + source.firstFrame, own), time(segment.frames, rate)),
    effects: effectsOf(segment),
    markers: [],
    enabled: true,
    media_reference: reference(source.file, time(origin, own), time(video.still ? segment.frames : video.frames, own)),
  }
}

function effectsOf({ source, stillAt, pace = 1 }: PacedSegment): OtioObject[] {
  const rate = source?.rate ?? 1
  if (stillAt !== undefined) return [{ OTIO_SCHEMA: 'FreezeFrame.1', name: 'last picture held', effect_name: 'FreezeFrame', time_scalar: 0, metadata: {} }]
  if (pace === 0) return [{ OTIO_SCHEMA: 'FreezeFrame.1', name: 'standing picture', effect_name: 'FreezeFrame', time_scalar: 0, metadata: {} }]
  const speed = Math.abs(rate - 1) <= RETIME_FROM ? pace : pace / rate
  if (speed === 1) return []
  const name = pace === 1 ? 'placed speed' : 'speed of the pictures'
  return [{ OTIO_SCHEMA: 'LinearTimeWarp.1', name, effect_name: 'LinearTimeWarp', time_scalar: speed, metadata: {} }]
}

/** Recordings that are the master together lie on lanes of their own where they overlap. */
function masterLanes(exchange: Exchange): OtioObject[][] {
  const rate = rateToNumber(exchange.rate)
  const lanes: OtioObject[][] = []
  const ends: number[] = []
  for (const part of [...exchange.master].sort((a, b) => a.fromFrame - b.fromFrame)) {
    let lane = ends.findIndex((end) => end <= part.fromFrame)
    if (lane < 0) {
      lane = lanes.push([]) - 1
      ends[lane] = exchange.originFrame
    }
    if (part.fromFrame > ends[lane]) lanes[lane].push(gap(part.fromFrame - ends[lane], rate))
    lanes[lane].push(masterClip(part, rate))
    ends[lane] = part.fromFrame + part.frames
  }
  return lanes
}

function masterClip({ file, frames, firstFrame }: MasterSegment, rate: number): OtioObject {
  const sampling = file.facts.audio?.sampleRate ?? 48000
  const whole = time(Math.round(file.facts.durationSeconds * sampling), sampling)
  return {
    OTIO_SCHEMA: 'Clip.1',
    name: file.name,
    metadata: { pendolo: { master: true } },
    source_range: range(time(firstFrame, rate), time(frames, rate)),
    effects: [],
    markers: [],
    enabled: true,
    media_reference: reference(file, time(0, sampling), whole),
  }
}

function reference(file: ExchangeFile, start: RationalTime, duration: RationalTime): OtioObject {
  return {
    OTIO_SCHEMA: 'ExternalReference.1',
    name: file.name,
    metadata: {},
    available_range: range(start, duration),
    target_url: `file://${file.path.split('/').map(encodeURIComponent).join('/')}`,
  }
}

/** Marks where the programme shows them; on a film with removed middles only what it keeps. */
function markers(exchange: Exchange, rate: number): OtioObject[] {
  return marksOnMaster(exchange.doc).flatMap((mark) => {
    const frame = frameAt(mark.time, exchange.rate)
    const frames = mark.end === undefined ? 0 : frameAt(mark.end, exchange.rate) - frame
    return tracksOf(exchange, frame).map((at) => ({
      OTIO_SCHEMA: 'Marker.2',
      name: mark.name,
      color: 'YELLOW',
      comment: mark.text ?? '',
      marked_range: range(time(at - exchange.originFrame, rate), time(frames, rate)),
      metadata: { pendolo: { kind: mark.kind, seconds: mark.time / FLICKS_PER_SECOND } },
    }))
  })
}

/** Frames of the tracks at which a frame of the master stands: what lies before the first kept range and behind the last one too. */
function tracksOf({ runs }: Exchange, frame: number): number[] {
  return runs.flatMap(({ fromFrame, frames, masterFrame }, i) => {
    if (masterFrame === null) return []
    const inside = (i === 0 || frame >= masterFrame) && (i === runs.length - 1 || frame < masterFrame + frames)
    return inside ? [fromFrame + (frame - masterFrame)] : []
  })
}
