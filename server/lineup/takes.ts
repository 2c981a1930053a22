import { severalTakes, type TakeClip, takesByClock } from '@pendolo/core/lineup'
import type { Analysis } from '../analysis.ts'
import { clockOf, type Placed } from './recordings.ts'
import { attempt, type LineUpTools, type MasterSound } from './round.ts'

/** A clip with its place, and the angle that it was recorded from. */
export interface TakenClip extends Placed {
  readonly angleId: string
}

/** What two recordings have in common beside the master, standard deviations of chance, from which they were made at once. */
const TOGETHER = 9
/** The next-best take must have less than this share of it: what a loudspeaker adds to the song is the same in all takes. */
const NEXT_SHARE = 0.6
/** Clips of a take that an unlabelled one is compared with. */
const MOST_COMPARED = 3

/**
 * Which clips belong to one take, where the master was played more than once: by the cameras' clocks in the order of
 * shooting, and what has no clock by what it heard beside the master. Without any clocks each clip of the camera that has most
 * is a take, in the order of their names.
 * @returns ids of the clips of each take; empty where nothing was recorded more than once
 */
export async function takesOf(
  clips: readonly TakenClip[],
  master: MasterSound | null,
  tools: Pick<LineUpTools, 'sound' | 'signal'> & { analysis: Pick<Analysis, 'run'> },
): Promise<string[][]> {
  const known = clips.map((c): TakeClip & { clip: TakenClip } => ({
    id: c.recording.id,
    angleId: c.angleId,
    from: c.startSeconds,
    to: c.startSeconds + c.rate * c.recording.facts.durationSeconds,
    recordedAt: clockOf(c.recording),
    clip: c,
  }))
  if (!severalTakes(known)) return []
  const takes = takesByClock(known)
  if (takes.length < 2) takes.splice(0, takes.length, ...seeds(known))
  const inTake = new Set(takes.flat())
  const sounds = new Map<string, string | null>()
  const soundOf = async ({ clip: { recording } }: (typeof known)[number]): Promise<string | null> => {
    if (!sounds.has(recording.id)) {
      const heard = recording.facts.audio ? await attempt(recording, () => tools.sound(recording)) : null
      sounds.set(recording.id, heard && !('failed' in heard) ? (heard.value?.file ?? null) : null)
    }
    return sounds.get(recording.id) ?? null
  }
  const added = new Map<string[], string[]>()
  for (const one of known) {
    if (!master || inTake.has(one.id)) continue
    const file = await soundOf(one)
    if (!file) continue
    const scores: { take: string[]; score: number }[] = []
    for (const take of takes) {
      const over = (other: TakeClip) => Math.min(one.to, other.to) - Math.max(one.from, other.from)
      const others = known.filter((k) => take.includes(k.id) && k.angleId !== one.angleId).sort((a, b) => over(b) - over(a))
      let score = 0
      for (const other of others.slice(0, MOST_COMPARED)) {
        const beside = await soundOf(other)
        if (!beside) continue
        const place = ({ clip }: typeof other, sound: string) => ({ file: sound, startSeconds: clip.startSeconds - master.startSeconds, rate: clip.rate })
        const task = { kind: 'together', masterSound: master.file, a: place(one, file), b: place(other, beside) } as const
        score = Math.max(score, (await tools.analysis.run(task, tools.signal)) ?? 0)
      }
      scores.push({ take, score })
    }
    scores.sort((a, b) => b.score - a.score)
    const [best, next] = scores
    if (best && best.score >= TOGETHER && (next?.score ?? 0) < NEXT_SHARE * best.score) added.set(best.take, [...(added.get(best.take) ?? []), one.id])
  }
  return takes.map((take) => [...take, ...(added.get(take) ?? [])])
}

/** Each clip of the angle that has most is a take of its own. */
function seeds(clips: readonly (TakeClip & { clip: TakenClip })[]): string[][] {
  const byAngle = new Map<string, (typeof clips)[number][]>()
  for (const clip of clips) byAngle.set(clip.angleId, [...(byAngle.get(clip.angleId) ?? []), clip])
  const [most = []] = [...byAngle.values()].sort((a, b) => b.length - a.length)
  return [...most].sort((a, b) => a.clip.recording.name.localeCompare(b.clip.recording.name, 'en', { numeric: true })).map((c) => [c.id])
}
