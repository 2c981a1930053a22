import { type Link, laterBy, type Place, type SoundPlacement, solveLinks, together } from '@pendolo/core/lineup'
import { placementOf } from './outcome.ts'
import { attempt, type Round } from './round.ts'

/** Recordings that reach out of the master by this much may carry others, s. */
const REACH_SECONDS = 5
/** A clip that the master covers for this long is found on the master, s. */
const COVERED_SECONDS = 8
/** Pairs tried when recordings are placed through each other. */
const MOST_PAIRS = 400

/** Clips that the master does not cover find their place through those that reach out of it, and through each other. */
export async function placeThroughOthers(round: Round): Promise<void> {
  const { trials, tools } = round
  const lying = round.lying()
  const begin = round.masterSound?.startSeconds ?? 0
  const end = begin + (round.masterSound?.durationSeconds ?? lying[0].recording.facts.durationSeconds)
  const reaching = lying
    .slice(1)
    .filter((p) => p.startSeconds < begin - REACH_SECONDS || p.startSeconds + p.rate * p.recording.facts.durationSeconds > end + REACH_SECONDS)
  // A place that is only to be checked may be a chance; one that hangs on another camera for sure is better.
  const lost = trials.filter((t) => t.usable && t.outcome.placement?.verdict !== 'sure')
  if (lost.length === 0 || reaching.length + lost.length < 2) return
  const others = [...reaching.map((p) => p.recording), ...lost.map((t) => t.recording)]
  const pairs = lost
    .flatMap((t, i) => others.filter((r, k) => r.facts.audio && k < reaching.length + i).map((r) => [t.recording, r] as const))
    .slice(0, MOST_PAIRS)
  const links: Link[] = []
  const measured = new Map<string, { found: SoundPlacement; ground: string }>()
  let done = 0
  const queue = [...pairs]
  const lane = async () => {
    for (let pair = queue.shift(); pair; pair = queue.shift()) {
      // The longer one is the ground that the shorter is searched on.
      const [clip, ground] = pair[0].facts.durationSeconds <= pair[1].facts.durationSeconds ? pair : [pair[1], pair[0]]
      const [heard, below] = [await attempt(clip, () => tools.sound(clip)), await attempt(ground, () => tools.sound(ground))]
      const [a, b] = ['failed' in heard ? null : heard.value, 'failed' in below ? null : below.value]
      if (a && b) {
        const found = await tools.analysis.run({ kind: 'place', masterSound: b.file, clipSound: a.file, thorough: false, near: null, speed: 1 }, tools.signal)
        if (found.verdict === 'sure' && found.startSeconds !== null) {
          links.push({
            from: clip.id,
            to: ground.id,
            offsetSeconds: found.startSeconds,
            rate: found.rate,
            weight: Math.max(1, found.proof.chosen?.support ?? 1),
          })
          measured.set(clip.id, { found, ground: ground.id })
        }
      }
      done++
      tools.onProgress(0.88 + (0.08 * done) / pairs.length, { code: 'pairs-compared', done, of: pairs.length })
    }
  }
  await Promise.all(Array.from({ length: tools.analysis.threads }, lane))
  const fixed = new Map<string, Place>(reaching.map((p) => [p.recording.id, { startSeconds: p.startSeconds, rate: p.rate }]))
  const { places, islands } = solveLinks(fixed, links)
  // What was heard on another camera is shown on the master's time.
  const proofOf = (id: string) => {
    const heard = measured.get(id)
    const ground = places.get(heard?.ground ?? '')
    return heard && ground ? laterBy(heard.found, ground.startSeconds).proof : null
  }
  const nameOf = (id: string) => others.find((r) => r.id === id)?.name ?? id
  for (const trial of lost) {
    const { id } = trial.recording
    const place = places.get(id)
    const partners = links.filter((l) => l.from === id || l.to === id).map((l) => nameOf(l.from === id ? l.to : l.from))
    if (place) {
      // Where the master sounds as well, the clip would have been found on it: then this may be a passage that comes again.
      const length = place.rate * trial.recording.facts.durationSeconds
      const covered = Math.min(end, place.startSeconds + length) - Math.max(begin, place.startSeconds)
      const doubtful = covered > COVERED_SECONDS
      if (doubtful && trial.outcome.placement) continue
      const why = doubtful ? ({ code: 'through-doubtful', names: partners, coveredSeconds: covered } as const) : ({ code: 'through', names: partners } as const)
      await round.report(trial, {
        placement: placementOf('through', doubtful ? 'check' : 'sure', place.startSeconds, place.rate, [why], doubtful ? 0.4 : 0.85),
        why: [],
        proof: proofOf(id),
      })
    } else if (!trial.outcome.placement && islands.some((group) => group.includes(id))) {
      await round.report(trial, { ...trial.outcome, why: together(trial.outcome.why, [{ code: 'island', names: partners }]) })
    }
  }
}
