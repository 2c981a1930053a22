import { FLICKS_PER_SECOND, type Flicks } from '../time/index.ts'
import type { BeatBlock, KeptPulse, ProjectDoc, Pulse } from './types.ts'

// Documents are never changed in place, so the list of beats holds as long as their blocks do. Only a recorder changes what it
// has copied itself, and says so.
const pulses = new WeakMap<KeptPulse, Pulse>()

const MINUTE = 60 * FLICKS_PER_SECOND

/** The project's pulse with all its beats in one list; made once for each state of it. Not to be changed in place. */
export function pulseOf(doc: Pick<ProjectDoc, 'pulse'>): Pulse | null {
  const { pulse } = doc
  if (!pulse) return null
  const known = pulses.get(pulse)
  if (known) return known
  const { blocks, ...rest } = pulse
  const beats: Flicks[] = []
  const downbeats: number[] = []
  for (const key of Object.keys(blocks).sort((a, b) => Number(a) - Number(b))) {
    const block = blocks[key]
    for (const index of block.downbeats) downbeats.push(beats.length + index)
    for (const beat of block.beats) beats.push(beat)
  }
  const whole = { ...rest, beats, downbeats }
  pulses.set(pulse, whole)
  return whole
}

/** A pulse in the form in which it is kept. */
export function inBlocks({ beats, downbeats, ...rest }: Pulse): KeptPulse {
  const blocks: Record<string, BeatBlock> = {}
  const down = new Set(downbeats)
  for (const [i, beat] of beats.entries()) {
    const key = String(Math.floor(beat / MINUTE))
    blocks[key] ??= { beats: [], downbeats: [] }
    if (down.has(i)) blocks[key].downbeats.push(blocks[key].beats.length)
    blocks[key].beats.push(beat)
  }
  return { ...rest, blocks }
}

/** Forgets the list of beats that are being changed. */
export function forgetPulse({ pulse }: Pick<ProjectDoc, 'pulse'>): void {
  if (pulse) pulses.delete(pulse)
}
