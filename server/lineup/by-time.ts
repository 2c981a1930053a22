import { placeByClock, plainProof, type Why } from '@pendolo/core/lineup'
import { placementOf, windowsOf } from './outcome.ts'
import { clockOf, clockReferences, type Placed } from './recordings.ts'
import { type Round, settledBy } from './round.ts'

/** Clocks of cameras: they choose among places that fit alike, and say where to listen again. */
export async function placeByTimeAll(round: Round): Promise<void> {
  round.tools.onProgress(0.97, { code: 'comparing', what: 'clocks' })
  const references = clockReferences(round.lying())
  for (const trial of round.trials) {
    const clock = clockOf(trial.recording)
    const estimate = clock === null ? null : placeByClock(clock, references)
    if (!estimate || round.settled(trial)) continue
    const clocked: Why = [{ code: 'clock', toleranceSeconds: estimate.tolerance }]
    const byHeart = settledBy(trial, estimate, clocked)
    if (byHeart) {
      await round.report(trial, byHeart)
      continue
    }
    if (trial.outcome.placement || !touches(round.lying(), estimate.startSeconds, trial.recording.facts.durationSeconds)) continue
    const near = await round.hearNear(trial, estimate)
    if (near && near.verdict !== 'loose' && near.startSeconds !== null) {
      const why: Why = [{ code: 'near-clock', ...windowsOf(near) }]
      await round.report(trial, {
        placement: placementOf('sound', near.verdict, near.startSeconds, near.rate, why, near.confidence, near.proof),
        why: [],
        proof: near.proof,
      })
    } else if (!trial.usable || !round.ways.has('sound')) {
      await round.report(trial, {
        ...trial.outcome,
        placement: placementOf('time', 'check', estimate.startSeconds, 1, [...clocked, { code: 'clock-only' }], 0.3),
        proof: plainProof(
          'time',
          { startSeconds: estimate.startSeconds, rate: 1, support: estimate.agreeing, agreeing: estimate.agreeing, windows: estimate.references },
          [],
        ),
      })
    }
  }
}

function touches(placed: readonly Placed[], start: number, seconds: number): boolean {
  return placed.some((p) => start < p.startSeconds + p.rate * p.recording.facts.durationSeconds && start + seconds > p.startSeconds)
}

/** Only when asked for: the first picture lies at the master's beginning. */
export async function placeByFirstFrame(round: Round): Promise<void> {
  for (const trial of round.trials) {
    if (trial.outcome.placement) continue
    const start = -(trial.recording.facts.video?.startSeconds ?? 0)
    await round.report(trial, {
      ...trial.outcome,
      placement: placementOf('first-frame', 'check', start, 1, [{ code: 'first-frame' }], 0.1),
    })
  }
}
