import { placeByLightAll } from './by-light.ts'
import { placeBySoundAll } from './by-sound.ts'
import { placeByFirstFrame, placeByTimeAll } from './by-time.ts'
import { placeByTimecodeAll } from './by-timecode.ts'
import type { Outcome } from './outcome.ts'
import type { Placed, Recording } from './recordings.ts'
import { attempt, type LineUpTools, type LineUpWishes, type MasterSound, Round } from './round.ts'
import { placeThroughOthers } from './through-others.ts'

/**
 * Places recordings on the master by every way that applies, in the order of proof. Recordings that lie already are
 * references and stay where they are.
 * @param known the master first, then what was placed before
 * @returns where each lies or why not, and the sound that all were searched on
 */
export async function placeAll(
  known: readonly Placed[],
  recordings: readonly Recording[],
  wishes: LineUpWishes,
  tools: LineUpTools,
): Promise<{ outcomes: Map<string, Outcome>; masterSound: MasterSound | null }> {
  const round = new Round(known, recordings, wishes, tools)
  const { ways } = round
  const [{ recording: clock }] = known
  const first = await round.listenTo(clock)
  for (const { recording } of known.slice(1)) await attempt(recording, () => round.listenTo(recording))
  if (tools.joined) round.masterSound = await tools.joined()
  else if (first) round.masterSound = { file: first.file, startSeconds: 0, durationSeconds: clock.facts.durationSeconds }
  await placeBySoundAll(round)
  if (ways.has('timecode')) {
    tools.onProgress(0.82, { code: 'comparing', what: 'timecode' })
    await placeByTimecodeAll(round)
  }
  if (ways.has('light')) await placeByLightAll(round)
  if (ways.has('sound')) await placeThroughOthers(round)
  if (ways.has('time')) {
    tools.onProgress(0.97, { code: 'comparing', what: 'clocks' })
    await placeByTimeAll(round)
  }
  if (ways.has('first-frame')) await placeByFirstFrame(round)
  return { outcomes: new Map(round.trials.map((t) => [t.recording.id, t.outcome])), masterSound: round.masterSound }
}
