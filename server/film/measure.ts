import type { Detail, LoudnessCurve } from '@pendolo/api'
import type { Exchange, ExchangeFile } from '@pendolo/core/formats'
import type { Config } from '../config.ts'
import { filmMeter, soundReport } from './loudness.ts'
import { mixRuns, soundRuns } from './mix.ts'
import { FILM_SOUND_RATE } from './placed-sound.ts'

/** A film whose sound is measured. */
export interface LoudnessOrder {
  readonly config: Config
  readonly exchange: Exchange
  readonly files: ReadonlyMap<string, ExchangeFile>
}

/** Values that a curve has at most. */
const MOST_VALUES = 1500
/** Seconds that a value of the meter stands for. */
const METER_STEP = 0.1
/** What is quieter is not told apart, LUFS. */
const QUIET = -70

/**
 * Mixes the sound of a film and measures it, without writing it.
 * @returns how loud it is, and its curves
 * @throws Cancelled, or MediaError with what was wrong with which file
 */
export async function measureFilm(
  { config, exchange, files }: LoudnessOrder,
  report: (share: number, detail: Detail) => void,
  signal: AbortSignal,
): Promise<Omit<LoudnessCurve, 'revision'>> {
  const meter = filmMeter()
  const runs = soundRuns(exchange)
  const whole = runs.at(-1)?.ends ?? 0
  let [frames, told] = [0, 0]
  report(0, { code: 'mixing' })
  const hear = async (bytes: Uint8Array) => {
    meter.add(new Float32Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 4))
    frames += bytes.byteLength / 8
    if (frames - told < 10 * FILM_SOUND_RATE) return
    told = frames
    report(frames / Math.max(1, whole), { code: 'mixing' })
  }
  await mixRuns(config, exchange.doc, files, runs, hear, signal)
  const measured = meter.measured()
  const every = Math.max(1, Math.ceil(measured.shortTerm.length / MOST_VALUES))
  return {
    sound: soundReport(measured),
    step: every * METER_STEP,
    shortTerm: highest(measured.shortTerm, every),
    momentary: highest(measured.momentary, every),
  }
}

/** The highest of each so many values, to a tenth. */
function highest(values: Float32Array, every: number): number[] {
  return Array.from({ length: Math.ceil(values.length / every) }, (_, i) => {
    const most = Math.max(QUIET, ...values.subarray(i * every, (i + 1) * every))
    return Math.round(most * 10) / 10
  })
}
