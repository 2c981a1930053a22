/**
 * Reads OpenTimelineIO JSON from the published schemas alone, sharing nothing with the writer:
 * Timeline.1 > Stack > Track > Clip | Gap, times as value / rate.
 */
interface Time {
  readonly OTIO_SCHEMA: string
  readonly value: number
  readonly rate: number
}

interface Range {
  readonly OTIO_SCHEMA: string
  readonly start_time: Time
  readonly duration: Time
}

interface Item {
  readonly OTIO_SCHEMA: string
  readonly name: string
  readonly kind?: string
  readonly children?: Item[]
  readonly source_range?: Range | null
  readonly media_reference?: { OTIO_SCHEMA: string; target_url: string; available_range: Range }
  readonly markers?: { OTIO_SCHEMA: string; name: string; marked_range: Range }[]
  readonly effects?: { OTIO_SCHEMA: string; time_scalar?: number }[]
}

export interface OtioClip {
  readonly name: string
  readonly url: string
  /** Place on its track, s, exact as a fraction of whole frames. */
  readonly trackStart: number
  readonly frames: number
  readonly sourceStart: number
  readonly sourceRate: number
}

export interface OtioTrack {
  readonly name: string
  readonly kind: string
  readonly clips: OtioClip[]
}

function schema(item: { OTIO_SCHEMA: string }, name: string): void {
  const [kind, version] = item.OTIO_SCHEMA.split('.')
  if (kind !== name || !/^\d+$/.test(version)) throw new Error(`expected ${name}, found ${item.OTIO_SCHEMA}`)
}

function range(given: Range | null | undefined): Range {
  if (!given) throw new Error('an item without a range')
  schema(given, 'TimeRange')
  schema(given.start_time, 'RationalTime')
  schema(given.duration, 'RationalTime')
  return given
}

export function readOtio(text: string): { tracks: OtioTrack[]; markers: { name: string; frame: number }[]; rate: number } {
  const timeline = JSON.parse(text) as { OTIO_SCHEMA: string; tracks: Item; global_start_time: Time }
  schema(timeline, 'Timeline')
  schema(timeline.tracks, 'Stack')
  const tracks = (timeline.tracks.children ?? []).map((track): OtioTrack => {
    schema(track, 'Track')
    let at = 0
    const clips: OtioClip[] = []
    for (const child of track.children ?? []) {
      const { start_time, duration } = range(child.source_range)
      if (child.OTIO_SCHEMA.startsWith('Clip.')) {
        const media = child.media_reference
        if (!media) throw new Error(`${child.name} refers to nothing`)
        schema(media, 'ExternalReference')
        const available = range(media.available_range)
        if (start_time.value < available.start_time.value) throw new Error(`${child.name} begins before its media`)
        clips.push({
          name: child.name,
          url: media.target_url,
          trackStart: at,
          frames: duration.value,
          sourceStart: start_time.value - available.start_time.value,
          sourceRate: start_time.rate,
        })
      } else schema(child, 'Gap')
      at += duration.value
    }
    return { name: track.name, kind: track.kind ?? '', clips }
  })
  const markers = (timeline.tracks.markers ?? []).map((m) => {
    schema(m, 'Marker')
    return { name: m.name, frame: range(m.marked_range).start_time.value }
  })
  return { tracks, markers, rate: timeline.global_start_time.rate }
}
