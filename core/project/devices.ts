import type { FileFacts } from './facts.ts'

/** A gathered file as it is sorted: its name, where it lay, and what is known of it. */
export interface Gathered {
  readonly id: string
  readonly name: string
  /** Name of the folder that stands for its camera; null for a file that lies loose. */
  readonly folder: string | null
  readonly facts: Pick<FileFacts, 'video' | 'camera' | 'recordedAt' | 'durationSeconds'>
}

/** Files that one camera or recorder made. */
export interface Device {
  /** What an angle of its own would be called. */
  readonly name: string
  readonly fileIds: readonly string[]
}

/** No folder is called so. */
const LOOSE = '/'

function grouped<T>(list: readonly T[], key: (one: T) => string): T[][] {
  const out = new Map<string, T[]>()
  for (const one of list) out.get(key(one))?.push(one) ?? out.set(key(one), [one])
  return [...out.values()]
}

/** Words before a number that say that the number is a camera's, as in "cam2_0001". */
const NUMBERED = /(?:^|[^a-z])(?:cam|camera|kamera|angle|unit|operator|op)[ _.-]*$/i

interface Named {
  readonly file: Gathered
  /** Its name up to the number that counts, without other numbers: what files of one device share. */
  readonly stem: string
  readonly numbers: readonly string[]
}

function namedOf(file: Gathered): Named {
  // What people and computers add behind (a word, the number of a copy) makes no other device.
  const base = file.name
    .replace(/\.[^.]*$/, '')
    .replace(/[\s_-]*\(\d+\)$/, '')
    .replace(/(\d)\D*$/, '$1')
  const numbers = base.match(/\d+/g) ?? []
  let n = 0
  const stem = base.replace(/\d+/g, (digits, at: number) => {
    n++
    // The last number counts takes; one before it may be the camera's.
    return n < numbers.length && NUMBERED.test(base.slice(0, at)) ? `${Number(digits)}` : '#'
  })
  return {
    file,
    stem: stem
      .toLowerCase()
      .replace(/[\s_.-]+/g, ' ')
      .trim(),
    numbers,
  }
}

/**
 * Tells which files one device made. Files of a folder belong together unless something speaks for several devices:
 * cameras that call themselves differently, sound beside pictures, or numbered names of another pattern. Parts of one
 * long recording ("GA010042", "GB020042": the same count at the end, one after the other) belong together all the same.
 */
export function devicesOf(files: readonly Gathered[]): Device[] {
  return grouped(files, (f) => f.folder ?? LOOSE).flatMap((inside) => {
    const { folder } = inside[0]
    const groups = joinedParts(byPattern(inside.map(namedOf), folder === null))
    const names = groups.map((group) => nameOf(group, folder, groups.length > 1))
    return groups.flatMap((group, i) =>
      atOnce(group).map((lane, n) => ({ name: n === 0 ? names[i] : `${names[i]} ${n + 1}`, fileIds: lane.map((one) => one.file.id) })),
    )
  })
}

/** Files of one place, divided by what their cameras call themselves, by kind and by the pattern of their names. */
function byPattern(all: readonly Named[], loose: boolean): Named[][] {
  const known = new Map<string, string>()
  for (const { file, stem } of all) if (file.facts.camera) known.set(stem, file.facts.camera)
  const several = new Set(all.flatMap(({ file }) => file.facts.camera ?? [])).size > 1
  const counted = all.filter((n) => n.numbers.length > 0)
  const key = ({ file, stem, numbers }: Named): string => {
    // What a camera calls itself counts more than names; a file that says nothing goes with those that are named like it.
    const camera = file.facts.camera ?? known.get(stem)
    if (camera && (several || loose)) return `camera ${camera}`
    const kind = file.facts.video ? 'picture' : 'sound'
    if (camera) return `${kind} camera`
    // Names without a number follow no pattern: in a folder they belong to the rest.
    return loose || (numbers.length > 0 && counted.length > 1) ? `${kind} ${stem}` : `${kind} rest`
  }
  const groups = grouped(all, key)
  return loose ? groups : withRest(groups)
}

/** Files without a pattern go with the pictures or sounds of their folder where these are of one device. */
function withRest(groups: Named[][]): Named[][] {
  const kindOf = (group: readonly Named[]) => Boolean(group[0].file.facts.video)
  const isRest = (group: readonly Named[]) => group.every((n) => n.numbers.length === 0 && !n.file.facts.camera)
  return groups.flatMap((group) => {
    const others = groups.filter((o) => !isRest(o) && kindOf(o) === kindOf(group))
    if (isRest(group)) return others.length === 1 ? [] : [group]
    const rest = others.length === 1 ? groups.filter((o) => isRest(o) && kindOf(o) === kindOf(group)).flat() : []
    return [[...group, ...rest]]
  })
}

/** Letters that two patterns must begin with alike to be parts of one recording. */
const SHARED_LETTERS = 1
/** Digits at the end that count recordings. */
const COUNT_DIGITS = 4
/** A part begins where the one before it ended, give or take, s. */
const FOLLOWS_SECONDS = 5

function joinedParts(groups: Named[][]): Named[][] {
  const out: Named[][] = []
  for (const group of groups) {
    const first = out.find((one) => one.every((a) => a.file.facts.video) && areParts(one, group))
    if (first) first.push(...group)
    else out.push([...group])
  }
  return out
}

/** Whether each file of one group goes on with, or before, one of the other that counts the same. */
function areParts(a: readonly Named[], b: readonly Named[]): boolean {
  const countOf = ({ numbers }: Named) => numbers[numbers.length - 1]?.slice(-COUNT_DIGITS)
  const alike = (x: Named, y: Named) => {
    const count = countOf(x)
    if (!count || count.length < COUNT_DIGITS || count !== countOf(y)) return false
    const [p, q] = [x.file.facts.camera, y.file.facts.camera]
    return x.stem.slice(0, SHARED_LETTERS) === y.stem.slice(0, SHARED_LETTERS) && (!p || !q || p === q) && !overlap(x, y)
  }
  const covers = (one: readonly Named[], other: readonly Named[]) => one.every((x) => other.some((y) => alike(x, y)))
  return a[0].stem !== b[0].stem && (covers(a, b) || covers(b, a))
}

const beginOf = ({ file }: Named) => Date.parse(file.facts.recordedAt ?? '') / 1000

/** Whether two files were recorded at once, as far as they say when. */
function overlap(a: Named, b: Named): boolean {
  const [x, y] = [beginOf(a), beginOf(b)]
  if (Number.isNaN(x) || Number.isNaN(y)) return false
  return x + a.file.facts.durationSeconds > y + FOLLOWS_SECONDS && y + b.file.facts.durationSeconds > x + FOLLOWS_SECONDS
}

/**
 * Files that names do not tell apart, divided by when they were recorded: one camera records nothing twice at once. Times
 * by which every file would be a camera are those of a conversion, and are not believed.
 */
function atOnce(group: Named[]): Named[][] {
  if (group.some((n) => n.file.facts.camera || Number.isNaN(beginOf(n)))) return [group]
  const lanes: Named[][] = []
  for (const one of [...group].sort((a, b) => beginOf(a) - beginOf(b))) {
    const lane = lanes.find((l) => !overlap(l[l.length - 1], one))
    if (lane) lane.push(one)
    else lanes.push([one])
  }
  return lanes.length < group.length ? lanes : [group]
}

function nameOf(group: readonly Named[], folder: string | null, several: boolean): string {
  const [{ file }] = group
  const own = file.facts.camera ?? file.name.replace(/\.[^.]*$/, '').replace(/[\s_\-.]*\d+$/, '')
  const text = (folder !== null && !several ? folder : own || folder || file.name).replace(/[_\-.]+/g, ' ').trim() || file.name
  return (text.charAt(0).toUpperCase() + text.slice(1)).slice(0, 120)
}
