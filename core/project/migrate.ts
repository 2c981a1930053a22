import type { Patch } from 'immer'
import type { Choice, SwitchPoint } from '../cut/index.ts'
import { type Fact, inWords, type Why } from '../lineup/index.ts'
import type { Flicks } from '../time/index.ts'
import { inBlocks } from './beat-blocks.ts'
import { keyedAt, marksInOrder, pointsInOrder } from './keyed.ts'
import { MASTER_FADE, type Mark, type MarkKind, type Placement, type ProjectDoc, type Pulse } from './types.ts'

/** Form of the document that this code reads and writes; raised with every change that older code could not read. */
export const DOC_VERSION = 5

/** A document that was written by a newer Pendolo than this one, or that is none. */
export class MigrationError extends Error {
  readonly code = 'hurt'
}

type OldMark = Omit<Mark, 'kind'> & { kind: MarkKind | 'section' }

type InWords<P> = Omit<P, 'why' | 'was'> & { why: string; was?: Omit<NonNullable<Placement['was']>, 'why'> & { why: string } }

/** Version 4 kept marks and switch points as records. */
interface Version4 extends Omit<ProjectDoc, 'version' | 'marks' | 'cuts'> {
  version: 4
  marks: Record<string, Mark>
  cuts: (Omit<ProjectDoc['cuts'][number], 'points'> & { points: Record<string, Choice> })[]
}

/** Version 3 kept reasons as words. */
interface Version3 extends Omit<Version4, 'version' | 'placements' | 'loose'> {
  version: 3
  placements: Record<string, InWords<Placement>>
  loose: Record<string, string>
}

/** Version 2 knew one master, one range of it for all versions, and parts as sections; beats were one list. */
interface Version2 extends Omit<Version3, 'version' | 'marks' | 'cuts' | 'master' | 'proofs' | 'pulse' | 'mixRanges' | 'envelopes' | 'exceptions'> {
  version: 2
  masterClipId: string | null
  marks: Record<string, OldMark>
  cuts: { id: string; name: string; points: Record<string, Choice> }[]
  keep: { start: Flicks | null; end: Flicks | null }
  pulse: Pulse | null
}

/** Version 1 kept marks and switch points as sorted lists. */
interface Version1 extends Omit<Version2, 'version' | 'marks' | 'cuts'> {
  version?: 1
  marks: OldMark[]
  cuts: { id: string; name: string; points: SwitchPoint[] }[]
}

function fromVersion1({ marks, cuts, ...doc }: Version1): Version2 {
  return {
    ...doc,
    version: 2,
    marks: Object.fromEntries(marks.map((m) => [m.id, m])),
    cuts: cuts.map((cut) => ({ ...cut, points: Object.fromEntries(cut.points.map(({ time, ...choice }) => [String(time), choice])) })),
  }
}

function fromVersion2({ masterClipId, marks, cuts, keep, pulse, ...doc }: Version2): Version3 {
  return {
    ...doc,
    version: 3,
    master: { clipIds: masterClipId === null ? [] : [masterClipId], join: 'crossfade', fade: MASTER_FADE },
    marks: Object.fromEntries(Object.entries(marks).map(([id, m]) => [id, { ...m, kind: m.kind === 'section' ? 'part' : m.kind }])),
    cuts: cuts.map((cut) => ({ ...cut, pieces: [{ id: 'whole', kind: 'range', from: keep.start, to: keep.end }], layers: {} })),
    // Proofs of before are named by their clips, which is where they are looked for when nothing is said.
    proofs: {},
    pulse: pulse && inBlocks(pulse),
    mixRanges: {},
    envelopes: {},
    exceptions: {},
  }
}

function fromVersion3({ placements, loose, ...doc }: Version3): Version4 {
  const facts = ({ why, was, ...placement }: InWords<Placement>): Placement => ({
    ...placement,
    why: knownWords(why),
    ...(was && { was: { ...was, why: knownWords(was.why) } }),
  })
  return {
    ...doc,
    version: 4,
    placements: Object.fromEntries(Object.entries(placements).map(([id, placement]) => [id, facts(placement)])),
    loose: Object.fromEntries(Object.entries(loose).map(([id, why]) => [id, inWords(why)])),
  }
}

// A long history is brought forward state by state, most of which share their records: each is turned once.
const lists = new WeakMap<object, unknown>()

function once<K extends object, V>(record: K, make: (record: K) => V): V {
  if (!lists.has(record)) lists.set(record, make(record))
  return lists.get(record) as V
}

function fromVersion4({ marks, cuts, ...doc }: Version4): ProjectDoc {
  const point = (time: string, choice: Choice) => once(choice, (): SwitchPoint => ({ time: Number(time) as Flicks, ...choice }))
  const list = (points: Record<string, Choice>) => pointsInOrder(Object.entries(points).map(([time, choice]) => pointAtOwn(point(time, choice), time)))
  return {
    ...doc,
    version: 5,
    marks: once(marks, (record) => marksInOrder(Object.values(record))),
    cuts: cuts.map((cut) => once(cut, () => ({ ...cut, points: once(cut.points, list) }))),
  }
}

/** One choice may have stood at several times. */
const pointAtOwn = (point: SwitchPoint, time: string): SwitchPoint => (point.time === Number(time) ? point : { ...point, time: Number(time) as Flicks })

/** Words as facts: those that mean something to the edits by their code, others as they are. */
function knownWords(text: string): Why {
  const known: Record<string, Fact> = {
    'the master itself': { code: 'master' },
    'was the master before': { code: 'master-before' },
    'moved by hand': { code: 'moved' },
    'accepted by you': { code: 'accepted' },
  }
  return text.split('; ').flatMap((part): Why => (Object.hasOwn(known, part) ? [known[part]] : inWords(part)))
}

/**
 * Brings a kept document to the form of today. What is of today already is returned as it is.
 * @throws MigrationError when it is no project, or one of a newer version
 */
export function migrate(doc: unknown): ProjectDoc {
  const version = (doc as { version?: unknown } | null)?.version ?? 1
  const { angles, cuts, clips, placements, marks } = (doc ?? {}) as Partial<ProjectDoc>
  const objects = [clips, placements, marks].every((part) => typeof part === 'object' && part !== null)
  if (!Array.isArray(angles) || !Array.isArray(cuts) || !objects) throw new MigrationError('this is no project')
  if (version === 1) return fromVersion4(fromVersion3(fromVersion2(fromVersion1(doc as Version1))))
  if (version === 2) return fromVersion4(fromVersion3(fromVersion2(doc as Version2)))
  if (version === 3) return fromVersion4(fromVersion3(doc as Version3))
  if (version === 4) return fromVersion4(doc as Version4)
  if (version === DOC_VERSION) return doc as ProjectDoc
  throw new MigrationError(`this project was written by a newer Pendolo (its version is ${String(version)}, this one reads up to ${DOC_VERSION})`)
}

const same = (a: unknown, b: unknown): boolean => a === b || JSON.stringify(a) === JSON.stringify(b)

const isRecord = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value)

/**
 * Patches that lead from one plain document to another: records and lists with keys are compared entry by entry, other
 * lists and values are replaced where they differ. The way back is the same with the two changed over.
 */
export function difference(from: unknown, to: unknown, path: (string | number)[] = []): Patch[] {
  if (from === to) return []
  const keyed = keyedAt(path, from) && keyedAt(path, to)
  if (keyed) {
    const byKey = (list: unknown) => new Map((list as unknown[]).map((entry) => [keyed.keyOf(entry), entry]))
    const [before, after] = [byKey(from), byKey(to)]
    const put = [...after].filter(([key, value]) => !same(before.get(key), value))
    return [
      ...put.map(([key, value]): Patch => ({ op: before.has(key) ? 'replace' : 'add', path: [...path, key], value })),
      ...[...before.keys()].filter((key) => !after.has(key)).map((key): Patch => ({ op: 'remove', path: [...path, key] })),
    ]
  }
  if (!isRecord(from) || !isRecord(to)) {
    if (same(from, to)) return []
    const alike = Array.isArray(from) && Array.isArray(to) && from.length === to.length && to.every(isRecord) && from.every(isRecord)
    return alike ? to.flatMap((value, i) => difference(from[i], value, [...path, i])) : [{ op: 'replace', path, value: to }]
  }
  const out: Patch[] = []
  for (const [key, value] of Object.entries(to)) {
    if (value === undefined) continue
    if (from[key] === undefined) out.push({ op: 'add', path: [...path, key], value })
    else out.push(...difference(from[key], value, [...path, key]))
  }
  for (const key of Object.keys(from)) if (from[key] !== undefined && to[key] === undefined) out.push({ op: 'remove', path: [...path, key] })
  return out
}
