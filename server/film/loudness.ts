import { open, rename, rm } from 'node:fs/promises'
import type { FilmSound } from '@pendolo/api'
import { decibelsToGain, Limiter, type Loudness, LoudnessMeter } from '@pendolo/core/mix'
import { Cancelled } from '../media/ffmpeg.ts'
import { FILM_SOUND_RATE } from './placed-sound.ts'

/** What a lossy codec adds to peaks is allowed for: so much below the highest level that is promised, −1 dBTP. */
const CEILING_DB = -1.5
/** So near the target is near enough, LU. */
const NEAR = 0.05
/** A limiter takes loudness away; so often the level is set anew for it. */
const TRIES = 4
/** Nothing is raised by more: it would be noise. */
const MOST_DB = 40
const BLOCK_BYTES = 8 * FILM_SOUND_RATE

/** A meter for the film's sound. */
export const filmMeter = (): LoudnessMeter => new LoudnessMeter(FILM_SOUND_RATE, 2)

const finite = (level: number): number | null => (Number.isFinite(level) ? Math.round(level * 100) / 100 : null)

/** What is told of a film's sound. */
export function soundReport({ integrated, range, truePeak }: Loudness, gainDb = 0, limitedDb = 0): FilmSound {
  return {
    integrated: finite(integrated),
    range: finite(range) ?? 0,
    truePeak: finite(truePeak),
    gainDb: finite(gainDb) ?? 0,
    limitedDb: finite(limitedDb) ?? 0,
  }
}

/**
 * Brings mixed sound to a loudness: one gain for all of it, and a limiter for what would be too loud then.
 * @param file 32-bit stereo at the film's rate; replaced
 * @param target LUFS, integrated
 * @param measured as it is now
 * @returns as it became; silence stays as it is
 * @throws Cancelled
 */
export async function levelTo(file: string, target: number, measured: Loudness, signal: AbortSignal): Promise<FilmSound> {
  if (!Number.isFinite(measured.integrated)) return soundReport(measured)
  const out = `${file}.level`
  try {
    let gainDb = Math.min(MOST_DB, target - measured.integrated)
    for (let n = 1; ; n++) {
      const { loudness, limitedDb } = await levelled(file, out, gainDb, signal)
      const off = target - loudness.integrated
      if (Math.abs(off) <= NEAR || n === TRIES || gainDb + off > MOST_DB) {
        await rename(out, file)
        return soundReport(loudness, gainDb, limitedDb)
      }
      gainDb += off
    }
  } finally {
    await rm(out, { force: true })
  }
}

async function levelled(from: string, to: string, gainDb: number, signal: AbortSignal): Promise<{ loudness: Loudness; limitedDb: number }> {
  const gain = decibelsToGain(gainDb)
  const limiter = new Limiter(FILM_SOUND_RATE, 2, CEILING_DB)
  const meter = filmMeter()
  const [source, sink] = [await open(from, 'r'), await open(to, 'w')]
  const take = async (samples: Float32Array) => {
    meter.add(samples)
    await sink.appendFile(new Uint8Array(samples.buffer, samples.byteOffset, samples.byteLength))
  }
  try {
    for (let at = 0; ; ) {
      if (signal.aborted) throw new Cancelled()
      const block = new Uint8Array(BLOCK_BYTES)
      const { bytesRead } = await source.read(block, 0, BLOCK_BYTES, at)
      if (bytesRead === 0) break
      at += bytesRead
      const samples = new Float32Array(block.buffer, 0, bytesRead / 4)
      for (let i = 0; i < samples.length; i++) samples[i] *= gain
      await take(limiter.add(samples))
    }
    await take(limiter.end())
    return { loudness: meter.measured(), limitedDb: limiter.mostDb }
  } finally {
    await source.close()
    await sink.close()
  }
}
