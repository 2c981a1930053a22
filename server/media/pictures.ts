import path from 'node:path'
import type { FileFacts } from '@pendolo/core/project'
import { gridTolerance, type Rate } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { inputArguments, PROBE_LIMITS, run } from './ffmpeg.ts'

type Video = NonNullable<FileFacts['video']>

/** What a stream of pictures says of itself, as ffprobe prints it. */
export interface PictureTags {
  width?: number
  height?: number
  time_base?: string
  field_order?: string
  color_space?: string
  color_primaries?: string
  color_transfer?: string
  pix_fmt?: string
  color_range?: string
  sample_aspect_ratio?: string
  side_data_list?: { rotation?: number }[]
}

export type Fields = NonNullable<Video['fields']>
export type WideRange = NonNullable<Video['wide']>

const WIDE: Readonly<Record<string, WideRange>> = { smpte2084: 'pq', 'arib-std-b67': 'hlg' }
const WOVEN: Readonly<Record<string, Fields>> = { tt: 'top', tb: 'top', bb: 'bottom', bt: 'bottom' }

export const wideRangeOf = ({ color_transfer }: PictureTags): WideRange | null => WIDE[color_transfer ?? ''] ?? null

/** @param frame what its first picture says, which counts where the stream itself does not tell */
export function fieldsOf(tags: PictureTags, frame?: { interlaced_frame?: number; top_field_first?: number }): Fields | null {
  if (!fieldsAreOpen(tags)) return WOVEN[tags.field_order ?? ''] ?? null
  return frame?.interlaced_frame ? (frame.top_field_first ? 'top' : 'bottom') : null
}

/** Whether the fields of a stream can only be told from its pictures. */
export const fieldsAreOpen = ({ field_order = 'unknown' }: PictureTags): boolean => field_order !== 'progressive' && !WOVEN[field_order]

/** How a file's pictures are to be read: copies, light and film go by the same. */
export interface PictureSource {
  /** What is taken off stored times to have clip time, s. */
  readonly zero: number
  /** Step of the container's clock: what its times are rounded to. */
  readonly tick: Rate
  /** Filters from decoded pictures to progressive ones whose colours are known, each ending in a comma. */
  readonly chain: string
  /** Size of pictures that have the film's colours already and need nothing done to them; null where something is. */
  readonly plain: { readonly width: number; readonly height: number } | null
}

interface Looked {
  streams?: PictureTags[]
  format?: { format_name?: string; start_time?: string }
  frames?: { interlaced_frame?: number; top_field_first?: number }[]
}

const NEEDED =
  'stream=pix_fmt,width,height,time_base,field_order,color_space,color_primaries,color_transfer,color_range,sample_aspect_ratio:stream_side_data=rotation:format=format_name,start_time'
/** Containers with a clock of their own, whose zero counts even when the streams start later. */
const CLOCKED = /^(mov|matroska|webm)/
export const isClocked = (formatName: string): boolean => CLOCKED.test(formatName)

/**
 * Time by which stream times of a file are moved so that 0 is its presentation zero: for containers with a clock of
 * their own nothing, for streams without one (MP3 with encoder delay, transport streams) their first instant.
 */
export function clockZero(formatName: string, startTime: number): number {
  return isClocked(formatName) ? 0 : startTime
}

/** Looks into a file for how its pictures are to be read. */
export async function pictureSource(config: Config, file: string, signal?: AbortSignal): Promise<PictureSource> {
  const about = path.basename(file)
  const look = async (...args: string[]) =>
    JSON.parse(
      await run(config.ffprobe, ['-v', 'error', '-select_streams', 'V:0', '-of', 'json', ...args, ...inputArguments(file)], {
        limits: PROBE_LIMITS,
        about,
        ...(signal && { signal }),
      }),
    ) as Looked
  const { streams, format } = await look('-show_entries', NEEDED)
  const tags = streams?.[0] ?? {}
  const [num, den] = (tags.time_base ?? '').split('/').map(Number)
  const first = fieldsAreOpen(tags) ? (await look(...FIRST_PICTURE)).frames?.[0] : undefined
  return {
    zero: clockZero(format?.format_name ?? '', Number(format?.start_time ?? 0) || 0),
    tick: num > 0 && den > 0 ? { num, den } : { num: 1, den: 90000 },
    chain: pictureChain(tags, fieldsOf(tags, first)),
    plain: plainSize(tags, fieldsOf(tags, first)),
  }
}

/** Size of upright pictures with square pixels that are whole and in the film's colours; null for all others. */
function plainSize(tags: PictureTags, fields: Fields | null): { width: number; height: number } | null {
  const { width = 0, height = 0, pix_fmt, color_range, sample_aspect_ratio = '1:1', side_data_list = [] } = tags
  const standard = width <= STANDARD.width && height <= STANDARD.height
  const matrix = known(tags.color_space) ?? (standard ? 'smpte170m' : 'bt709')
  const usual = pix_fmt === 'yuv420p' && color_range !== 'pc' && matrix === 'bt709' && !fields && !wideRangeOf(tags) && tags.color_primaries !== 'bt2020'
  const square = /^(1:1|0:1|N\/A)$/.test(sample_aspect_ratio)
  return usual && square && side_data_list.every((d) => d.rotation === undefined) ? { width, height } : null
}

/** Arguments of ffprobe that have the first picture decoded, for its fields. */
export const FIRST_PICTURE = ['-read_intervals', '%+#1', '-show_entries', 'frame=interlaced_frame,top_field_first']

/** Largest size that is taken for standard definition where nothing says how its colours are meant. */
const STANDARD = { width: 1024, height: 576 }

/** Pixel formats with transparency. */
const SEE_THROUGH = /^(rgba|bgra|argb|abgr|gbrap|yuva|ya\d|pal8)/

/** Filters that weave fields to whole pictures, say how untagged colours are meant, and bring a wide range into a film's. */
export function pictureChain(tags: PictureTags, fields: Fields | null): string {
  const out: string[] = []
  // What is not opaque stands on black, as it does for everything behind it.
  if (SEE_THROUGH.test(tags.pix_fmt ?? '')) out.push('format=gbrap,premultiply=inplace=1,format=gbrp')
  if (fields) out.push(`bwdif=mode=send_frame:parity=${fields === 'top' ? 'tff' : 'bff'}:deint=all`)
  const matrix = known(tags.color_space)
  const small = (tags.width ?? 0) <= STANDARD.width && (tags.height ?? 0) <= STANDARD.height
  if (!matrix) out.push(`setparams=colorspace=${small ? 'smpte170m' : 'bt709'}`)
  const wide = wideRangeOf(tags)
  if (wide || tags.color_primaries === 'bt2020')
    out.push(
      // What a tag leaves out is what goes with the rest.
      `setparams=color_primaries=${known(tags.color_primaries) ?? 'bt2020'}:color_trc=${known(tags.color_transfer) ?? 'bt2020-10'}:colorspace=${matrix ?? 'bt2020nc'}`,
      'zscale=transfer=linear:npl=203,format=gbrpf32le,zscale=primaries=bt709',
      // Curve after Hable; 203 cd/m² is the white of a film in such material (ITU-R BT.2408).
      ...(wide ? ['tonemap=tonemap=hable:desat=0'] : []),
      'zscale=transfer=bt709:matrix=bt709:range=limited',
    )
  return out.map((filter) => `${filter},`).join('')
}

/** Options of the filter that brings pictures to size, after {@link pictureChain}. */
export const COLOURS = 'out_color_matrix=bt709:out_range=tv'
/** Arguments that write into a file how its colours are meant. */
export const COLOUR_TAGS = ['-color_primaries', 'bt709', '-color_trc', 'bt709', '-colorspace', 'bt709', '-color_range', 'tv']

const known = (tag: string | undefined): string | null => (tag && tag !== 'unknown' && tag !== 'reserved' ? tag : null)

/**
 * Steps a second of a clock that holds the frame grid exactly, and the container's own steps where whole numbers allow. A
 * browser's decoder counts microseconds, so finer steps would be lost there.
 */
export function copyClock({ rate }: Video, tick: Rate): number {
  const gcd = (a: number, b: number): number => (b ? gcd(b, a % b) : a)
  const both = (rate.num / gcd(rate.num, tick.den)) * tick.den
  return both <= 1_000_000 ? both : rate.num * Math.max(1, Math.floor(1_000_000 / rate.num))
}

/**
 * Filter that gives every picture its own time from the first one on, as `pictureTime` in core/time has it, in steps of
 * {@link copyClock}. The input's times must be those of the container (-copyts).
 */
export function timesFilter(video: Video, { zero, tick }: PictureSource): string {
  const clock = copyClock(video, tick)
  const frame = (clock * video.rate.den) / video.rate.num
  const tolerance = gridTolerance(video, tick.num / tick.den, video.variableRate) * clock
  const from = (zero + video.startSeconds) * clock
  const nearest = `round(ld(0)/${frame})*${frame}`
  return `settb=1/${clock},setpts='if(eq(N,0),0,st(0,PTS-${from.toFixed(3)});if(lte(abs(ld(0)-${nearest}),${tolerance.toFixed(4)}),round(${nearest}),round(ld(0))))',`
}

/**
 * Number of grid frames up to the last of some pictures.
 * @param seconds their times, counted from the file's first picture; what is no number is left out
 * @returns null where there is none
 */
export function gridReach(seconds: readonly number[], rate: Rate): number | null {
  const last = seconds.filter(Number.isFinite).reduce((most, t) => Math.max(most, t), Number.NEGATIVE_INFINITY)
  return Number.isFinite(last) ? Math.max(1, Math.round((last * rate.num) / rate.den) + 1) : null
}

/** Filter that brings pictures whose times begin at 0 on the file's frame grid: each grid frame shows what is seen at its start. */
export function gridFilter({ rate }: Video): string {
  return `fps=fps=${rate.num}/${rate.den}:round=up:start_time=0,`
}
