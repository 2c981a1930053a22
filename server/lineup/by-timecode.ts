import { type Fact, placeByTimecode, together } from '@pendolo/core/lineup'
import type { Placement } from '@pendolo/core/project'
import { fromAfar, placementOf, secondsOf, windowsOf, withLate } from './outcome.ts'
import { timecodeReferences } from './recordings.ts'
import { type Round, settledBy } from './round.ts'

/** How far from timecode's word the sound is searched, s: file timecode is free-running on most cameras. */
export const TIMECODE_TOLERANCE = 2

/** Timecode of what lies says where the others are; the sound near by is heard for proof. */
export async function placeByTimecodeAll(round: Round): Promise<void> {
  round.tools.onProgress(0.82, { code: 'comparing', what: 'timecode' })
  for (const trial of round.trials) {
    const found = placeByTimecode(
      round.readings.get(trial.recording.id) ?? [],
      timecodeReferences(
        // Its own label would only say that it agrees with itself.
        round.lying().filter((p) => p.recording !== trial.recording),
        round.readings,
      ),
    )
    if ('refused' in found) {
      if (!trial.outcome.placement && round.readings.get(trial.recording.id)?.length)
        await round.report(trial, { ...trial.outcome, why: together(trial.outcome.why, found.refused) })
      else if (!trial.outcome.placement && round.wishes.ways?.length === 1) await round.report(trial, { ...trial.outcome, why: found.refused })
      continue
    }
    const estimate = { startSeconds: found.startSeconds, tolerance: found.origin === 'sound' ? 0.1 : TIMECODE_TOLERANCE }
    if (round.settled(trial)) {
      const place = trial.outcome.placement as Placement
      const off = secondsOf(place).startSeconds - found.startSeconds
      const far = fromAfar(trial.recording, -off)
      const agrees = Math.abs(off) <= TIMECODE_TOLERANCE / 10
      const word: Fact = far ? { code: 'timecode-late', lateSeconds: -off } : agrees ? { code: 'timecode-agrees' } : { code: 'timecode-says', offSeconds: -off }
      await round.report(
        trial,
        withLate({ ...trial.outcome, placement: { ...place, why: together(place.why, [word]) } }, far ? { seconds: -off, by: 'timecode' } : null),
      )
      continue
    }
    const byHeart = settledBy(trial, estimate, found.why)
    if (byHeart) {
      await round.report(trial, byHeart)
      continue
    }
    const near = await round.hearNear(trial, estimate)
    if (near && near.verdict !== 'loose' && near.startSeconds !== null) {
      await round.report(trial, {
        placement: placementOf(
          'sound',
          'sure',
          near.startSeconds,
          near.rate,
          together([{ code: 'near-timecode', ...windowsOf(near) }], found.why),
          0.95,
          near.proof,
        ),
        why: [],
        proof: near.proof,
      })
      continue
    }
    if (trial.outcome.placement) continue
    const heardBoth = found.origin === 'sound'
    const sure = heardBoth || found.agreeing > 1 || round.only('timecode')
    await round.report(trial, {
      ...trial.outcome,
      placement: placementOf('timecode', sure ? 'sure' : 'check', found.startSeconds, found.rate, found.why, sure ? 0.9 : 0.5),
    })
  }
}
