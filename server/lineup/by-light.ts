import { type LightPlacement, together } from '@pendolo/core/lineup'
import { TIMECODE_TOLERANCE } from './by-timecode.ts'
import { fromAfar, placementOf, secondsOf, withLate } from './outcome.ts'
import type { Placed } from './recordings.ts'
import { attempt, type LineUpTools, type Round } from './round.ts'

/** Cameras whose light is compared; more add time and little proof. */
const MOST_LIGHT_REFERENCES = 8

/** Light that changes for all cameras at once tells where a clip without usable sound lies. */
export async function placeByLightAll(round: Round): Promise<void> {
  const named = round.wishes.ways?.includes('light') ?? false
  // Sound that fits nowhere speaks against a clip; light is for those that have none, unless it is asked for.
  // When it is asked for, it also tells of those that sound placed how far the sound had come.
  const dark = round.trials.filter((t) => t.recording.facts.video && (named || (!round.settled(t) && (!t.usable || t.outcome.placement))))
  if (dark.length > 0) {
    round.tools.onProgress(0.86, { code: 'comparing', what: 'light' })
    const references = await lightReferences(round.lying(), round.tools)
    for (const trial of dark) {
      const seen = await attempt(trial.recording, () => round.tools.luma(trial.recording))
      const luma = 'failed' in seen ? null : seen.value
      const { video } = trial.recording.facts
      if (!luma || !video) continue
      const before = trial.outcome.placement
      // What has a place has a speed too.
      const { speed } = round.wishes
      const speeds = before ? [before.rate] : typeof speed === 'number' ? [speed] : null
      const near = round.wishes.near ?? (before ? { startSeconds: secondsOf(before).startSeconds, tolerance: TIMECODE_TOLERANCE } : null)
      const found: LightPlacement = await round.tools.analysis.run({ kind: 'light', references, clip: { file: luma, video }, near, speeds }, round.tools.signal)
      if (before && round.settled(trial)) {
        const late = found.verdict === 'sure' && found.startSeconds !== null ? found.startSeconds - secondsOf(before).startSeconds : 0
        if (fromAfar(trial.recording, late))
          await round.report(
            trial,
            withLate(
              { ...trial.outcome, placement: { ...before, why: together(before.why, [{ code: 'light-late', lateSeconds: late }]) } },
              { seconds: late, by: 'light' },
            ),
          )
      } else if (found.verdict === 'loose' || found.startSeconds === null) {
        if (!before) await round.report(trial, { ...trial.outcome, why: together(trial.outcome.why, found.why), proof: trial.outcome.proof ?? found.proof })
      } else if (!before || found.verdict === 'sure') {
        const why = before ? together(found.why, before.why) : found.why
        await round.report(trial, {
          ...trial.outcome,
          placement: placementOf('light', found.verdict, found.startSeconds, found.rate, why, found.verdict === 'sure' ? 0.9 : 0.5),
          ...(found.proof && { proof: found.proof }),
        })
      }
    }
  }
}

async function lightReferences(placed: readonly Placed[], tools: LineUpTools) {
  const cameras = placed
    .filter((p) => p.recording.facts.video)
    .sort((a, b) => b.recording.facts.durationSeconds - a.recording.facts.durationSeconds)
    .slice(0, MOST_LIGHT_REFERENCES)
  const out = []
  for (const { recording, startSeconds, rate } of cameras) {
    const seen = await attempt(recording, () => tools.luma(recording))
    const file = 'failed' in seen ? null : seen.value
    if (file && recording.facts.video) out.push({ file, video: recording.facts.video, startSeconds, rate })
  }
  return out
}
