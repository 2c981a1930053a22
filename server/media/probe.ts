import { stat } from 'node:fs/promises'
import { type FileFacts, factsProblem, rateFits } from '@pendolo/core/project'
import { parseRate, type Rate } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { inputArguments, type Limits, PROBE_LIMITS, run } from './ffmpeg.ts'
import { clockZero, FIRST_PICTURE, type Fields, fieldsAreOpen, fieldsOf, gridReach, isClocked, type PictureTags, wideRangeOf } from './pictures.ts'
import { stillDemuxer } from './stills.ts'
import { trackNames } from './track-names.ts'
import { MediaError } from './words.ts'

interface ProbeStream extends PictureTags {
  codec_type?: string
  codec_name?: string
  sample_aspect_ratio?: string
  r_frame_rate?: string
  avg_frame_rate?: string
  nb_frames?: string
  start_time?: string
  duration?: string
  channels?: number
  channel_layout?: string
  sample_rate?: string
  tags?: Record<string, string>
  side_data_list?: { rotation?: number }[]
  disposition?: { attached_pic?: number }
}

interface ProbeOutput {
  streams?: ProbeStream[]
  format?: { format_name?: string; start_time?: string; duration?: string; tags?: Record<string, string> }
}

/** @throws MediaError when the file is no picture or sound that can be read */
export async function probe(config: Config, file: string): Promise<FileFacts> {
  const seen = await stat(file)
  // Opening a pipe or a device would wait for ever for what comes through it.
  if (!seen.isFile()) throw new MediaError('this is no plain file; pick the recording itself')
  if (seen.size === 0) throw new MediaError('this file is empty. If it plays elsewhere, copy it from the card again')
  if (stillDemuxer(file)) return probeStill(config, file)
  const args = ['-v', 'error', '-show_format', '-show_streams', '-of', 'json', ...inputArguments(file)]
  const text = await run(config.ffprobe, args, { limits: PROBE_LIMITS, about: 'this file' }).catch((error: unknown) => {
    if (!(error instanceof MediaError) || error.raw === null) throw error
    const reason = error.raw
      .split('; ')
      .map((part) => part.replace(/^file:.*?: (?=[A-Z])/, ''))
      .join('; ')
    throw new MediaError('what is in this file is no picture or sound that can be read. If it plays elsewhere, copy it from the card again', reason)
  })
  const out = JSON.parse(text) as ProbeOutput
  const video = pictureStream(out)
  const open = video && !factsProblem(factsFrom(out, null, null))
  const facts = factsFrom(out, await lastTimes(config, file, out), open ? await fieldsIn(config, file, video) : null)
  const problem = factsProblem(facts) ?? emptyTimes(facts, seen.size)
  if (problem) throw new MediaError(`this file ${problem}`)
  return withTrackNames(file, facts)
}

/** A recorder that names its tracks has microphones on them, whatever seats the number of its channels would have. */
async function withTrackNames(file: string, facts: FileFacts): Promise<FileFacts> {
  const { audio } = facts
  if (!audio || facts.container !== 'wav' || audio.channels < 2) return facts
  const names = await trackNames(file, audio.channels)
  return names ? { ...facts, audio: { ...audio, layout: audio.channels > 2 ? '' : audio.layout, trackNames: names } } : facts
}

/** A single picture: its size as it is meant to be seen, after the turn that its camera wrote. */
async function probeStill(config: Config, file: string): Promise<FileFacts> {
  const shown = 'stream=codec_name,sample_aspect_ratio:frame=width,height:frame_side_data=rotation:frame_tags=DateTimeOriginal,Make,Model:format=format_name'
  const args = ['-v', 'error', '-select_streams', 'v:0', '-read_intervals', '%+#1', '-show_entries', shown, '-of', 'json', ...inputArguments(file)]
  const out = JSON.parse(
    await run(config.ffprobe, args, { limits: PROBE_LIMITS, about: 'this picture' }).catch((error: unknown) => {
      if (!(error instanceof MediaError) || error.raw === null) throw error
      throw new MediaError('this picture cannot be read. If it opens elsewhere, save it anew as JPEG, PNG, TIFF or WebP', error.raw)
    }),
  ) as ProbeOutput & { frames?: { width?: number; height?: number; side_data_list?: { rotation?: number }[]; tags?: Record<string, string> }[] }
  const frame = out.frames?.[0]
  const { width = 0, height = 0, tags = {} } = frame ?? {}
  const [, year, month, day, time] = /^(\d{4}):(\d\d):(\d\d) (\d\d:\d\d:\d\d)/.exec(tags.DateTimeOriginal ?? '') ?? []
  const turned = isTurned(frame?.side_data_list)
  const facts: FileFacts = {
    durationSeconds: 0,
    container: (out.format?.format_name ?? '').replace(/_pipe$/, ''),
    video: {
      codec: out.streams?.[0]?.codec_name ?? 'unknown',
      width: turned ? height : width,
      height: turned ? width : height,
      rate: { num: 1, den: 1 },
      variableRate: false,
      startSeconds: 0,
      frames: 1,
      pixelAspect: '1:1',
      still: true,
    },
    audio: null,
    timecode: null,
    recordedAt: year ? `${year}-${month}-${day}T${time}Z` : null,
    camera: [tags.Make, tags.Model].filter(Boolean).join(' ').trim() || null,
  }
  const problem = frame ? factsProblem(facts) : 'holds no picture that can be read'
  if (problem) throw new MediaError(`this file ${problem}`)
  return facts
}

/** Whether pictures are turned by a quarter before they are shown. */
const isTurned = (data: { rotation?: number }[] = []): boolean => Math.abs(data.find((d) => d.rotation !== undefined)?.rotation ?? 0) % 180 === 90

/** Streams without any container: how long they are is guessed from their beginning. */
const RAW: ReadonlySet<string> = new Set(['aac', 'ac3', 'eac3'])

/** The end of a file is read for the time of its last picture; one that cannot be read from its end is told by its header. */
const END_LIMITS: Limits = { ...PROBE_LIMITS, seconds: 10 }

/** Containers with an index are read from their last key picture on, to which this leads. */
const PAST_THE_END = '999999'
/** Of others, so much of the end holds a whole group of pictures, s. */
const LAST_SECONDS = 12

interface Packet {
  pts_time?: string
  duration_time?: string
  flags?: string
}

/** Presentation times of the last packets of a stream, and when the last of them ends; null where they cannot be read. */
async function lastTimes(config: Config, file: string, out: ProbeOutput): Promise<{ times: number[]; end: number } | null> {
  const stream = pictureStream(out) ? 'V:0' : 'a:0'
  const look = async (from: string, entries: string) => {
    const args = ['-v', 'error', '-select_streams', stream, '-read_intervals', `${from}%`, '-show_entries', entries, '-of', 'json', ...inputArguments(file)]
    return JSON.parse(await run(config.ffprobe, args, { limits: END_LIMITS, about: 'this file' })) as {
      packets?: Packet[]
      frames?: { best_effort_timestamp_time?: string }[]
    }
  }
  try {
    const name = out.format?.format_name ?? ''
    const ends = (number(out.format?.start_time) ?? 0) + (number(out.format?.duration) ?? 0)
    const from = isClocked(name) || RAW.has(name) ? PAST_THE_END : String(Math.max(0, ends - LAST_SECONDS))
    const { packets = [] } = await look(from, 'packet=pts_time,duration_time,flags')
    // What an edit list cuts off is marked as discarded.
    const shown = packets.filter((p) => !p.flags?.includes('D'))
    let times = shown.map((p) => number(p.pts_time) ?? Number.NaN)
    const end = Math.max(...shown.map((p) => (number(p.pts_time) ?? Number.NEGATIVE_INFINITY) + (number(p.duration_time) ?? 0)))
    // In a program stream several pictures share one time; decoded, each has its own.
    if (times.some(Number.isNaN)) {
      const { frames = [] } = await look(from, 'frame=best_effort_timestamp_time')
      times = frames.map((f) => number(f.best_effort_timestamp_time) ?? Number.NaN)
    }
    return { times, end }
  } catch {
    return null
  }
}

/** Whether a file's pictures are woven of fields. */
async function fieldsIn(config: Config, file: string, tags: PictureTags): Promise<Fields | null> {
  if (!fieldsAreOpen(tags)) return fieldsOf(tags)
  const args = ['-v', 'error', '-select_streams', 'V:0', '-of', 'json', ...FIRST_PICTURE, ...inputArguments(file)]
  const out = await run(config.ffprobe, args, { limits: END_LIMITS, about: 'this file' }).catch(() => '{}')
  return fieldsOf(tags, (JSON.parse(out) as { frames?: object[] }).frames?.[0])
}

/** Even silence and black take more than so many bytes a second; a gap in the times of a few seconds' recording does not. */
const LEAST_BYTES_A_SECOND = { video: 400, sound: 20 }
const GAP_SECONDS = 3600

function emptyTimes({ durationSeconds, video }: FileFacts, size: number): string | null {
  const least = video ? LEAST_BYTES_A_SECOND.video : LEAST_BYTES_A_SECOND.sound
  if (durationSeconds < GAP_SECONDS || size / durationSeconds >= least) return null
  return `says it lasts ${Math.round(durationSeconds / 3600)} hours but holds only ${Math.round(size / 1000)} kB: its times are damaged. Copy it from the card again`
}

const pictureStream = (out: ProbeOutput): ProbeStream | undefined => out.streams?.find((s) => s.codec_type === 'video' && !s.disposition?.attached_pic)

function factsFrom(out: ProbeOutput, last: { times: number[]; end: number } | null, fields: Fields | null): FileFacts {
  const format = out.format ?? {}
  const streams = out.streams ?? []
  const zero = clockZero(format.format_name ?? '', number(format.start_time) ?? 0)
  const video = pictureStream(out)
  const sounds = streams.filter((s) => s.codec_type === 'audio')
  const [sound] = sounds
  if (!video && !sound) throw new MediaError('there is neither picture nor sound in this file')
  const duration = number(format.duration) ?? Math.max(0, ...streams.map((s) => number(s.duration) ?? 0))
  // What a container says of its length counts from its own zero; where its streams tell their ends, those count.
  const ends = [video, ...sounds].flatMap((s) => (s && number(s.duration) !== null ? [(number(s.start_time) ?? 0) + Number(s.duration)] : []))
  const clocked = isClocked(format.format_name ?? '')
  const tags = { ...format.tags }
  for (const s of streams) for (const [key, value] of Object.entries(s.tags ?? {})) tags[key] ??= value
  return {
    durationSeconds: clocked && ends.length > 0 ? Math.max(...ends) : RAW.has(format.format_name ?? '') && last && last.end > 0 ? last.end : duration,
    container: (format.format_name ?? '').split(',')[0],
    video: video ? videoFacts(video, zero, duration, last?.times ?? [], fields) : null,
    audio: sound
      ? {
          codec: sound.codec_name ?? 'unknown',
          channels: sound.channels ?? 1,
          layout: sound.channel_layout ?? '',
          sampleRate: Number(sound.sample_rate ?? 48000),
          startSeconds: (number(sound.start_time) ?? 0) - zero,
          streams: sounds.length,
          ...(sounds.length > 1 && { streamChannels: sounds.map((s) => s.channels ?? 1) }),
        }
      : null,
    timecode: /^\d\d:\d\d:\d\d[:;]\d\d$/.test(tags.timecode ?? '') ? tags.timecode : null,
    timeReference: /^\d+$/.test(tags.time_reference ?? '') ? Number(tags.time_reference) : null,
    recordedAt: tags.creation_time ?? tags['com.apple.quicktime.creationdate'] ?? bwfDate(tags) ?? tags.date ?? null,
    camera: [tags.make ?? tags['com.apple.quicktime.make'], tags.model ?? tags['com.apple.quicktime.model'], tags.camera_id].filter(Boolean).join(' ') || null,
  }
}

/** Date and time of a Broadcast Wave header, as far as they stand there. */
function bwfDate(tags: Record<string, string>): string | null {
  if (!/^\d{4}.\d\d.\d\d$/.test(tags.origination_date ?? tags.date ?? '')) return null
  const date = (tags.origination_date ?? tags.date).replace(/[^\d]/g, '-')
  const time = /^(\d\d).(\d\d).(\d\d)$/.exec(tags.origination_time ?? tags.creation_time ?? '')
  return time ? `${date}T${time.slice(1).join(':')}Z` : date
}

function number(text: string | undefined): number | null {
  const value = text === undefined || text === 'N/A' ? Number.NaN : Number(text)
  return Number.isFinite(value) ? value : null
}

function videoFacts(s: ProbeStream, zero: number, formatDuration: number, last: readonly number[], fields: Fields | null): NonNullable<FileFacts['video']> {
  const real = usableRate(s.r_frame_rate)
  const average = usableRate(s.avg_frame_rate)
  const rate = average && real && Math.abs(value(average) / value(real) - 1) < 0.001 ? real : (snapped(average) ?? real ?? { num: 25, den: 1 })
  // The smallest step between pictures is no rate at all where they come as they like.
  const variableRate = !!average && (real ? Math.abs(value(average) / value(real) - 1) > 0.005 : !!s.r_frame_rate && s.r_frame_rate !== '0/0')
  const [sx, sy] = (s.sample_aspect_ratio ?? '1:1').split(':').map(Number)
  const stretch = sx > 0 && sy > 0 ? sx / sy : 1
  const turned = isTurned(s.side_data_list)
  const width = Math.round((s.width ?? 0) * stretch)
  const height = s.height ?? 0
  const seconds = number(s.duration) ?? formatDuration
  const counted = number(s.nb_frames)
  const start = number(s.start_time) ?? 0
  // A decoded picture without a time follows the one before it.
  let before = Number.NaN
  const times = last.map((t) => (before = Number.isNaN(t) ? before + 1 / value(rate) : t))
  const reached = gridReach(
    times.map((t) => t - start),
    rate,
  )
  const wide = wideRangeOf(s)
  return {
    codec: s.codec_name ?? 'unknown',
    width: turned ? height : width,
    height: turned ? width : height,
    rate,
    variableRate,
    startSeconds: start - zero,
    frames: reached ?? (counted && counted > 0 && !variableRate ? counted : Math.max(1, Math.round(seconds * value(rate)))),
    ...(counted && counted > 0 && { counted }),
    ...(fields && { fields }),
    ...(wide && { wide }),
    pixelAspect: s.sample_aspect_ratio && s.sample_aspect_ratio !== 'N/A' && s.sample_aspect_ratio !== '0:1' ? s.sample_aspect_ratio : '1:1',
  }
}

function value(rate: Rate): number {
  return rate.num / rate.den
}

function usableRate(text: string | undefined): Rate | null {
  const rate = text ? parseRate(text) : null
  return rate && rateFits(rate) ? rate : null
}

/** An average of a variable file brought to the usual rate it is meant to be. */
function snapped(rate: Rate | null): Rate | null {
  if (!rate) return null
  for (const usual of ['24000/1001', '24', '25', '30000/1001', '30', '50', '60000/1001', '60', '15']) {
    const known = parseRate(usual) as Rate
    if (Math.abs(value(rate) / value(known) - 1) < 0.005) return known
  }
  return rate.den > 100_000 ? (parseRate(value(rate).toFixed(3)) ?? rate) : rate
}
