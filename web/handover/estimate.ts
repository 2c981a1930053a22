import { type FilmResult, type FilmShape, type Job, usualFilmBytes } from '@pendolo/api'
import { parseRate, type Rate, rateToNumber } from '@pendolo/core/time'

/** Bytes a second of the film's sound: AAC at 256 kbit/s; two channels of 24 bits. */
const SOUND_BYTES = { aac: 32_000, lossless: 288_000 }
/** Of larger pictures neighbouring pixels resemble each other more: bytes grow with this power of their number. */
const GROWTH = 0.75

export interface Estimate {
  readonly bytes: number
  /** s; null where nothing was made yet that tells. */
  readonly seconds: number | null
  /** Whether a film that was made before tells it; else it is what clean pictures take. */
  readonly told: boolean
}

/** How large a film will be and how long it will take, by the one that was made last. @param jobs newest first */
export function estimateOf(shape: FilmShape & { readonly rate: Rate; readonly lossless: boolean }, jobs: readonly Job[]): Estimate {
  const pixels = shape.width * shape.height
  const heard = (shape.frames / rateToNumber(shape.rate)) * SOUND_BYTES[shape.lossless ? 'lossless' : 'aac']
  const last = jobs
    .map(({ result }) => (result && 'made' in result ? result : null))
    .find((result): result is Told => !!result?.made && framesOf(result.made) > 0)
  if (!last) return { bytes: usualFilmBytes(shape) + heard, seconds: null, told: false }
  const { made } = last
  const frames = framesOf(made)
  const itsPixels = made.width * made.height
  const itsPictures = Math.max(0, last.bytes - made.seconds * SOUND_BYTES[last.name.endsWith('.mov') ? 'lossless' : 'aac'])
  return {
    bytes: (itsPictures / frames) * (pixels / itsPixels) ** GROWTH * shape.frames + heard,
    seconds: made.took === undefined ? null : (made.took / frames) * (pixels / itsPixels) * shape.frames,
    told: true,
  }
}

type Told = FilmResult & { readonly made: NonNullable<FilmResult['made']> }

const framesOf = ({ seconds, rate }: Told['made']): number => seconds * rateToNumber(parseRate(rate) as Rate)
