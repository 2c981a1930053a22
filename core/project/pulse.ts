import {
  clearBeats,
  countFrom,
  doubleGrid,
  dragBeat,
  EVERYWHERE,
  type Grid,
  halveGrid,
  keepLocked,
  lockStretch,
  nearestBeat,
  type Range,
  shiftGrid,
  tapStretch,
  usualDistance,
} from '../grid/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '../time/index.ts'
import { forgetPulse, inBlocks, pulseOf } from './beat-blocks.ts'
import type { Reducers } from './drawer.ts'
import { EditError } from './lookup.ts'
import type { Recorder } from './recorder.ts'
import type { KeptPulse, Pulse } from './types.ts'

/** What a hand can do to beats and bars; without a range it is done everywhere. */
export type PulseAct =
  | { do: 'shift'; by: Flicks; range?: Stretch }
  | { do: 'double' | 'halve'; range?: Stretch }
  | { do: 'clear'; range: Stretch }
  | { do: 'count'; at: Flicks; metre: number; range?: Stretch }
  | { do: 'drag'; at: Flicks; to: Flicks }
  | { do: 'taps'; taps: Flicks[]; lag: Flicks }
  | { do: 'lock' | 'unlock'; range: Stretch }

export type PulseEdit = { type: 'setPulse'; pulse: Pulse | null } | { type: 'correctPulse'; act: PulseAct }

export const pulseReducers: Reducers<PulseEdit> = {
  setPulse: (recorder, { pulse }) => write(recorder, foundAnew(pulseOf(recorder.doc), pulse)),
  correctPulse: (recorder, { act }) => write(recorder, corrected(pulseOf(recorder.doc), act)),
}

/** Writes what differs: blocks that stay as they were are not written. */
function write(recorder: Recorder, pulse: Pulse | null): void {
  const before = recorder.doc.pulse
  if (!pulse || !before) {
    if (before !== pulse) recorder.set(['pulse'], pulse && inBlocks(pulse))
    return
  }
  const { blocks, ...rest } = inBlocks(pulse)
  const same = (a: unknown, b: unknown) => a === b || JSON.stringify(a) === JSON.stringify(b)
  const old: Omit<KeptPulse, 'blocks'> = before
  for (const key of new Set([...Object.keys(rest), ...Object.keys(before)]) as Set<keyof typeof rest | 'blocks'>) {
    if (key === 'blocks') continue
    if (rest[key] === undefined) recorder.remove(['pulse', key])
    else if (!same(rest[key], old[key])) recorder.set(['pulse', key], rest[key])
  }
  for (const [key, block] of Object.entries(blocks)) if (!same(block, before.blocks[key])) recorder.set(['pulse', 'blocks', key], block)
  for (const key of Object.keys(before.blocks)) if (!(key in blocks)) recorder.remove(['pulse', 'blocks', key])
  // What a view was made of may have been changed within this step.
  forgetPulse(recorder.doc)
}

interface Stretch {
  from: Flicks
  to: Flicks
}

/** A pulse found anew; stretches that were locked stay as they are. */
function foundAnew(before: Pulse | null, found: Pulse | null): Pulse | null {
  return found && before ? onGrid(found, keepLocked(before, found)) : found
}

function corrected(pulse: Pulse | null, act: PulseAct): Pulse {
  if (!pulse && act.do !== 'taps') throw new EditError('there are no beats yet; find the pulse, or tap it, first')
  const before: Pulse = pulse ?? { tempoBpm: 0, metre: 4, confidence: 0, beats: [], downbeats: [] }
  if (act.do === 'taps' && act.taps.length < 4) throw new EditError('at least four taps are needed to fit beats to them')
  return onGrid(before, done(before, act))
}

function done(grid: Grid, act: PulseAct): Grid {
  const range: Range = ('range' in act ? act.range : undefined) ?? EVERYWHERE
  switch (act.do) {
    case 'shift':
      return shiftGrid(grid, act.by, range)
    case 'double':
      return doubleGrid(grid, range)
    case 'halve':
      return halveGrid(grid, range)
    case 'clear':
      return clearBeats(grid, range)
    case 'count':
      return countFrom(grid, act.at, act.metre, range)
    case 'drag':
      return grid.beats.length > 0 ? dragBeat(grid, nearestBeat(grid, act.at), act.to) : grid
    case 'taps':
      return tapStretch(grid, act.taps, act.lag)
    case 'lock':
    case 'unlock':
      return lockStretch(grid, range, act.do === 'lock')
  }
}

/** The pulse with another grid; its tempo follows. */
function onGrid(pulse: Pulse, grid: Grid): Pulse {
  const distance = usualDistance(grid)
  return {
    ...pulse,
    metre: grid.metre,
    beats: grid.beats.map((t) => flicks(Math.round(t))),
    downbeats: [...grid.downbeats],
    tempoBpm: distance > 0 ? (60 * FLICKS_PER_SECOND) / distance : 0,
    ...(grid.locked && grid.locked.length > 0 ? { locked: grid.locked.map((r) => ({ from: flicks(r.from), to: flicks(r.to) })) } : { locked: undefined }),
  }
}
