import {
  canDropFrames,
  FLICKS_PER_SECOND,
  frameToTimecode,
  masterToClip,
  type Rate,
  rateToNumber,
  TimecodeError,
  timecodeToFrame,
  ZERO,
} from '../time/index.ts'
import { type FileFacts, factsOfClip } from './facts.ts'
import type { Note } from './notes.ts'
import { projectRate } from './settings.ts'
import type { ProjectDoc } from './types.ts'

/** A timecode that the master's beginning could have, by what recordings say. */
interface TimecodeProposal {
  /** As it is printed at the project's rate. */
  readonly label: string
  readonly dropFrame: boolean
  /** Names of the files that say so. */
  readonly names: readonly string[]
}

interface Told {
  readonly id: string
  readonly name: string
  readonly facts: FileFacts
  readonly notes: readonly Note[]
}

const DAY_SECONDS = 86_400

/**
 * What recordings that carry timecode and have a place say of the master's beginning; what most agree on comes first. A
 * label of another rate is told as the project counts at that instant of the clock.
 */
export function timecodeProposals(doc: ProjectDoc, files: readonly Told[]): TimecodeProposal[] {
  const rate = projectRate(doc.settings)
  const byId = new Map(files.map((f) => [f.id, f]))
  const found = new Map<string, { label: string; dropFrame: boolean; names: string[] }>()
  for (const clip of Object.values(doc.clips)) {
    const file = byId.get(clip.fileId)
    const placement = doc.placements[clip.id]
    const begin = file && placement && beginOf({ ...file, facts: factsOfClip(file.facts, clip) }, rate)
    if (!begin) continue
    const seconds = begin.seconds + masterToClip(ZERO, placement) / FLICKS_PER_SECOND
    const dropFrame = begin.dropFrame && canDropFrames(rate)
    const frame = Math.round((seconds < 0 ? seconds + DAY_SECONDS : seconds) * rateToNumber(rate))
    const label = frameToTimecode(frame, { rate, dropFrame })
    const known = found.get(label)
    if (known) known.names.push(file.name)
    else found.set(label, { label, dropFrame, names: [file.name] })
  }
  return [...found.values()].sort((a, b) => b.names.length - a.names.length || a.label.localeCompare(b.label))
}

/** Second of the day that a file's timecode says for its clip time zero: heard as sound, as a label, or as samples since midnight. */
function beginOf({ facts, notes }: Told, project: Rate): { seconds: number; dropFrame: boolean } | null {
  const label = notes.find((n) => n.code === 'timecode')?.label ?? facts.timecode
  if (label) {
    const rate = facts.video?.rate ?? project
    const dropFrame = label.includes(';') && canDropFrames(rate)
    try {
      return { seconds: timecodeToFrame(label, { rate, dropFrame }) / rateToNumber(rate) - (facts.video?.startSeconds ?? 0), dropFrame }
    } catch (error) {
      if (!(error instanceof TimecodeError)) throw error
    }
  }
  return facts.timeReference && facts.audio ? { seconds: facts.timeReference / facts.audio.sampleRate - facts.audio.startSeconds, dropFrame: false } : null
}
