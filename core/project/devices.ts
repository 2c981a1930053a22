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

/** Single pictures of a folder are one angle, whoever made them: each is a take that stands as long as it is wanted. */
const STILLS = 'stills'

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
 * @param rule only one thing counts, or nothing
 */
export function devicesOf(files: readonly Gathered[], rule: DeviceRule = 'all'): Device[] {
  if (rule !== 'all') return SIMPLE[rule](files).map((group) => ({ name: nameFor(group, rule), fileIds: group.map((f) => f.id) }))
  return grouped(files, (f) => f.folder ?? LOOSE).flatMap((inside) => {
    const { folder } = inside[0]
    const groups = joinedParts(byPattern(inside.map(namedOf), folder === null))
    const several = groups.filter((group) => !group.every(isStill)).length > 1
    const names = groups.map((group) => nameOf(group, folder, group.every(isStill) ? groups.length > 1 : several))
    return groups.flatMap((group, i) =>
      atOnce(group).map((lane, n) => ({ name: n === 0 ? names[i] : `${names[i]} ${n + 1}`, fileIds: lane.map((one) => one.file.id) })),
    )
  })
}

/** What files may be divided into devices by: all that speaks for it, or one thing alone. */
export const DEVICE_RULES = ['all', 'folder', 'camera', 'names', 'times', 'one', 'each'] as const
export type DeviceRule = (typeof DEVICE_RULES)[number]

const SIMPLE: { readonly [R in Exclude<DeviceRule, 'all'>]: (files: readonly Gathered[]) => Gathered[][] } = {
  folder: (files) => grouped(files, (f) => f.folder ?? LOOSE),
  camera: (files) => grouped(files, (f) => f.facts.camera ?? `${LOOSE}${f.folder ?? ''}`),
  names: (files) => grouped(files, (f) => `${f.facts.video ? 'picture' : 'sound'} ${namedOf(f).stem}`),
  times: (files) => {
    const named = files.map(namedOf)
    // What says nothing of its time follows none.
    const [timed, untimed] = [named.filter((n) => !Number.isNaN(beginOf(n))), named.filter((n) => Number.isNaN(beginOf(n)))]
    return [...inLanes(timed), ...grouped(untimed, (n) => (isStill(n) ? STILLS : String(Boolean(n.file.facts.video))))].map((lane) => lane.map((n) => n.file))
  },
  one: (files) => (files.length > 0 ? [[...files]] : []),
  each: (files) => files.map((f) => [f]),
}

/** What a device that one rule made is called: by what the rule goes by. */
function nameFor(group: readonly Gathered[], rule: Exclude<DeviceRule, 'all'>): string {
  const [first] = group
  if (rule === 'each') return titled(first.name.replace(/\.[^.]*$/, ''), first.name)
  if (rule === 'folder' || rule === 'one') return titled(first.folder ?? first.name.replace(/\.[^.]*$/, ''), first.name)
  return nameOf(group.map(namedOf), first.folder, rule !== 'times')
}

/** Files of one place, divided by what their cameras call themselves, by kind and by the pattern of their names. */
function byPattern(all: readonly Named[], loose: boolean): Named[][] {
  const known = new Map<string, string>()
  const recorded = all.filter((n) => !n.file.facts.video?.still)
  for (const { file, stem } of recorded) if (file.facts.camera) known.set(stem, file.facts.camera)
  const several = new Set(recorded.flatMap(({ file }) => file.facts.camera ?? [])).size > 1
  const counted = recorded.filter((n) => n.numbers.length > 0)
  const key = ({ file, stem, numbers }: Named): string => {
    // What a camera calls itself counts more than names; a file that says nothing goes with those that are named like it.
    if (file.facts.video?.still) return STILLS
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
  const kindOf = (group: readonly Named[]) => (isStill(group[0]) ? STILLS : Boolean(group[0].file.facts.video))
  const isRest = (group: readonly Named[]) => group.every((n) => !isStill(n)) && group.every((n) => n.numbers.length === 0 && !n.file.facts.camera)
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
    if (!chaptered(x) && !chaptered(y) && !follow(x, y)) return false
    return x.stem.slice(0, SHARED_LETTERS) === y.stem.slice(0, SHARED_LETTERS) && (!p || !q || p === q) && !overlap(x, y)
  }
  const covers = (one: readonly Named[], other: readonly Named[]) => one.every((x) => other.some((y) => alike(x, y)))
  return a[0].stem !== b[0].stem && (covers(a, b) || covers(b, a))
}

const isStill = ({ file }: Named): boolean => file.facts.video?.still === true
const beginOf = ({ file }: Named) => Date.parse(file.facts.recordedAt ?? '') / 1000

/** Whether something is counted before what counts the recordings: the parts of one. */
const chaptered = ({ numbers }: Named): boolean => (numbers.at(-1)?.length ?? 0) > COUNT_DIGITS

/** Whether one recording begins where the other ended, as far as they say when. */
function follow(a: Named, b: Named): boolean {
  const goesOn = (x: Named, y: Named) => Math.abs(beginOf(x) + x.file.facts.durationSeconds - beginOf(y)) <= FOLLOWS_SECONDS
  return goesOn(a, b) || goesOn(b, a)
}

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
  if (group.some((n) => isStill(n) || n.file.facts.camera || Number.isNaN(beginOf(n)))) return [group]
  const lanes = inLanes(group)
  return lanes.length < group.length ? lanes : [group]
}

/** On as few lanes as keep recordings from overlapping, each of which says when it began. */
function inLanes(group: readonly Named[]): Named[][] {
  const lanes: Named[][] = []
  for (const one of [...group].sort((a, b) => beginOf(a) - beginOf(b))) {
    const lane = lanes.find((l) => !overlap(l[l.length - 1], one))
    if (lane) lane.push(one)
    else lanes.push([one])
  }
  return lanes
}

function nameOf(group: readonly Named[], folder: string | null, several: boolean): string {
  const [{ file }] = group
  if ((several || folder === null) && group.every(isStill)) return titled(STILLS, file.name)
  const own = file.facts.camera ?? file.name.replace(/\.[^.]*$/, '').replace(/[\s_\-.]*\d+$/, '')
  return titled(folder !== null && !several ? folder : own || folder || file.name, file.name)
}

/** A name as people would write it. @param otherwise where nothing is left of it */
function titled(name: string, otherwise: string): string {
  const text = name.replace(/[_\-.]+/g, ' ').trim() || otherwise
  return (text.charAt(0).toUpperCase() + text.slice(1)).slice(0, 120)
}
