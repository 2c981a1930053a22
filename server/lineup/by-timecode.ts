import {
  type Candidate,
  type Fact,
  placeByTimecode,
  plainProof,
  preferred,
  type SoundPlacement,
  type TimecodePlacement,
  timecodeTogether,
  together,
} from '@pendolo/core/lineup'
import type { Placement } from '@pendolo/core/project'
import { fromAfar, type Outcome, placementOf, secondsOf, windowsOf, withLate } from './outcome.ts'
import { timecodeReferences } from './recordings.ts'
import { openPlaces, type Round, settledAt, settledBy, type Trial } from './round.ts'

/** How far from timecode's word the sound is searched, s: file timecode is free-running on most cameras. */
export const TIMECODE_TOLERANCE = 2

/** Timecode of what lies says where the others are; the sound near by is heard for proof. */
export async function placeByTimecodeAll(round: Round): Promise<void> {
  round.tools.onProgress(0.82, { code: 'comparing', what: 'timecode' })
  await settleTogether(round)
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
    if (found.open && !round.settled(trial)) {
      await settleOpen(round, trial, found)
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
      await round.report(trial, nearTimecode(near, found))
      continue
    }
    if (trial.outcome.placement) continue
    const heardBoth = found.origin === 'sound'
    const sure = heardBoth || found.agreeing > 1 || round.only('timecode')
    const candidate = (startSeconds: number, recordings: number): Candidate => ({
      startSeconds,
      rate: found.rate,
      support: recordings,
      agreeing: recordings,
      windows: found.references,
    })
    await round.report(trial, {
      ...trial.outcome,
      placement: placementOf('timecode', sure ? 'sure' : 'check', found.startSeconds, found.rate, found.why, sure ? 0.9 : 0.5),
      proof: plainProof(
        'timecode',
        candidate(found.startSeconds, found.agreeing),
        found.elsewhere.map((e) => candidate(e.startSeconds, e.recordings)),
      ),
    })
  }
}

/** Where timecode can mean two places, the sound near both says which; where it does not, neither is taken. */
async function settleOpen(round: Round, trial: Trial, found: TimecodePlacement): Promise<void> {
  const fits: Outcome[] = []
  for (const startSeconds of [found.startSeconds, ...found.elsewhere.map((e) => e.startSeconds)]) {
    const estimate = { startSeconds, tolerance: TIMECODE_TOLERANCE }
    const byHeart = settledBy(trial, estimate, found.why)
    const near = byHeart ? null : await round.hearNear(trial, estimate)
    if (byHeart) fits.push(byHeart)
    else if (near && near.verdict !== 'loose') fits.push(nearTimecode(near, found))
  }
  if (fits.length === 1) await round.report(trial, fits[0])
  else if (!trial.outcome.placement) await round.report(trial, { ...trial.outcome, why: together(trial.outcome.why, [{ code: 'timecode-open' }]) })
}

/** Sound that was searched where timecode sent it. */
function nearTimecode(near: SoundPlacement, { why }: TimecodePlacement): Outcome {
  return {
    placement: placementOf(
      'sound',
      'sure',
      near.startSeconds as number,
      near.rate,
      together([{ code: 'near-timecode', ...windowsOf(near) }], why),
      0.95,
      near.proof,
    ),
    why: [],
    proof: near.proof,
  }
}

/** Cameras that were set to each other settle together what their sound alone leaves open. */
async function settleTogether(round: Round): Promise<void> {
  const open = round.trials.flatMap((trial) => {
    const reading = preferred(round.readings.get(trial.recording.id) ?? [])
    const places = openPlaces(trial)
    return reading && places.length > 0 ? [{ trial, reading, places, startsSeconds: places.map((p) => p.startSeconds) }] : []
  })
  const picks = timecodeTogether(open)
  if (!picks) return
  const recordings = picks.filter((p) => p >= 0).length
  for (const [i, { trial, places }] of open.entries()) {
    if (picks[i] < 0) continue
    const outcome = settledAt(trial, places, picks[i], [{ code: 'timecode-together', recordings }])
    if (outcome) await round.report(trial, outcome)
  }
}
