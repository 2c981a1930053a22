import { randomUUID } from 'node:crypto'
import { stat } from 'node:fs/promises'
import path from 'node:path'
import { type Angle, type Clip, clockOf, devicesOf, type Edit, type FileFacts, nextHue, notesFor, type ProjectDoc, STILL_PLACE } from '@pendolo/core/project'
import { canDropFrames, PROJECT_RATES, type ProjectRate, parseRate, type Rate, rateKey } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { fileJobs } from '../jobs/wanted.ts'
import { contentKey } from '../media/content.ts'
import { probe } from '../media/probe.ts'
import { endsLikeStill } from '../media/stills.ts'
import { MediaError } from '../media/words.ts'
import type { JobQueue } from '../ports/queue.ts'
import type { FileRow, ProjectStore } from '../ports/store.ts'
import { recognise } from './find-again.ts'
import { looksLikeMedia, notLookedInto } from './media-names.ts'
import { allowedPath } from './roots.ts'
import { filesBelow } from './walk.ts'

/** Folders that cameras make by themselves and that name no camera. */
const GENERIC = /^(dcim|private|avchd|bdmv|stream|video|videos|clip|clips|media|footage|\d{3}.*)$/i

export interface Found {
  readonly path: string
  /** The folder that stands for the camera, or null when the file was picked by itself or lies loose beside folders. */
  readonly folder: string | null
  /** Where that folder is, for files that lie where they were picked. */
  readonly place?: string
}

/**
 * Media files below the picked paths, each with the folder that stands for its camera: the first folder below the
 * picked one, or the picked one itself when it has none.
 * @param leftOut is told of files in folders that are not even looked into
 * @throws MediaError for a path outside the allowed roots or that does not exist, and for a folder with more files than a show has
 */
export async function findMedia(config: Config, picked: readonly string[], leftOut: LeftOut[] = []): Promise<Found[]> {
  const out: Found[] = []
  for (const one of picked) {
    const full = await allowedPath(config, one)
    if (!(await stat(full)).isDirectory()) {
      out.push({ path: full, folder: null })
      continue
    }
    const below = await walk(full, leftOut)
    out.push(
      ...inFolders(
        path.basename(full),
        below.map((file) => ({ path: file, within: path.relative(full, file).split(path.sep) })),
        full,
      ),
    )
  }
  return out
}

/**
 * Files of one picked or dropped folder with the folder that stands for their camera.
 * @param within parts of each file's path below the folder, its name last
 * @param at where the folder is, if that stays
 */
export function inFolders(top: string, files: readonly { path: string; within: readonly string[] }[], at?: string): Found[] {
  const nested = files.some((f) => f.within.length > 1)
  return files.map(({ path: file, within }) => {
    const [first] = within
    const own = within.length > 1 && !GENERIC.test(first)
    if (!own && within.length === 1 && nested) return { path: file, folder: null }
    return { path: file, folder: own ? first : top, ...(at !== undefined && { place: own ? path.join(at, first) : at }) }
  })
}

/** More than this below one picked folder is a mistake (a whole disk). */
const MOST_FILES = 20_000

async function walk(folder: string, leftOut: LeftOut[]): Promise<string[]> {
  const out: string[] = []
  for await (const file of filesBelow(folder)) {
    const why = notLookedInto(path.basename(file))
    if (why) leftOut.push({ name: path.relative(folder, file), why })
    else if (out.push(file) > MOST_FILES)
      throw new MediaError(`${folder} holds more than ${MOST_FILES.toLocaleString('en')} files; pick the folders of the cameras one by one`)
  }
  return out.sort((a, b) => a.localeCompare(b, 'en', { numeric: true }))
}

/** A file that was found and not added, by its name below the folder that was picked. */
export interface LeftOut {
  readonly name: string
  readonly why: string
}

export interface GatherReport {
  readonly added: number
  /** Names of missing originals that were among the files. */
  readonly again: string[]
  readonly known: string[]
  /** Recordings that cannot be used. */
  readonly refused: LeftOut[]
  /** Other files, that are no recordings. */
  readonly leftOut: LeftOut[]
}

/** Cameras lay a small picture beside each recording, by the same name: it is no angle. */
function withoutThumbnails(found: readonly Found[], leftOut: LeftOut[]): Found[] {
  const stem = (file: string) => file.replace(/\.[^.]*$/, '').toLowerCase()
  const recordings = new Set(found.filter((f) => !endsLikeStill(f.path)).map((f) => stem(f.path)))
  return found.filter(({ path: file }) => {
    if (!endsLikeStill(file) || !recordings.has(stem(file))) return true
    leftOut.push({ name: path.basename(file), why: 'is the small picture of the recording of the same name' })
    return false
  })
}

/** Files that are looked into side by side; most of the time goes into starting the prober. */
const PROBED_AT_ONCE = 4

/** What gathering needs besides the project. */
export interface GatherTools {
  readonly config: Config
  readonly store: ProjectStore
  readonly queue: Pick<JobQueue, 'prepare' | 'announce'>
}

/**
 * Probes the files, groups them into angles, and adds them, their clips and their jobs in one transaction; proposes master,
 * rate and raster when there are none. Originals of the project that were missing are known by their content and are
 * not added again.
 * @param picked paths, or files with their folders where those are known
 * @param author who adds them
 */
export async function gather(tools: GatherTools, projectId: string, picked: readonly (string | Found)[], author = ''): Promise<GatherReport> {
  const { config, store, queue } = tools
  const paths = picked.filter((p): p is string => typeof p === 'string')
  const leftOut: LeftOut[] = []
  const found = withoutThumbnails([...(await findMedia(config, paths, leftOut)), ...picked.filter((p): p is Found => typeof p !== 'string')], leftOut)
  if (found.length === 0) throw new MediaError('there are no pictures or sounds in what was picked; pick a folder with camera files')
  const before = await store.files(projectId)
  const again = await recognise(
    before,
    found.map((f) => f.path),
  )
  await store.moveFiles(projectId, again)
  const report = { added: 0, again: again.map((f) => f.file.name), known: [] as string[], refused: [] as LeftOut[], leftOut }
  const held = new Set(before.map((f) => f.path))
  const known = new Set<string>()
  const looked = new Map<Found, FileRow & Sorted>()
  const queueOf = [...found]
  const lane = async () => {
    for (let one = queueOf.shift(); one; one = queueOf.shift()) {
      const { path: file, folder, place } = one
      const name = path.basename(file)
      if (again.some((f) => f.path === file)) continue
      if (held.has(file)) {
        known.add(file)
        continue
      }
      held.add(file)
      try {
        const facts = await probe(config, file)
        const { key, size } = await contentKey(file)
        looked.set(one, { id: randomUUID(), projectId, path: file, name, size, contentKey: key, facts, notes: notesFor(facts), folder, place })
      } catch (error) {
        const why = error instanceof Error ? error.message : String(error)
        // Without an ending that promises a recording, one that is none is no loss.
        if (looksLikeMedia(name)) report.refused.push({ name, why })
        else leftOut.push({ name, why: 'holds no picture or sound that can be read' })
      }
    }
  }
  await Promise.all(Array.from({ length: PROBED_AT_ONCE }, lane))
  const probed = found.flatMap((one) => looked.get(one) ?? [])
  let jobIds: string[] = []
  const label = (n: number, first: string) => (n === 1 ? `add ${first}` : `add ${n} files`)
  await store.gather(
    projectId,
    author,
    (doc, files) => {
      // While these were looked at, somebody may have gathered the same.
      const rows = probed.filter((r) => !files.some((f) => f.path === r.path))
      for (const r of probed) if (!rows.includes(r)) known.add(r.path)
      // A file whose clip was taken back by undo, or lost by an earlier fault, is brought in again.
      const used = new Set(Object.values(doc.clips).map((c) => c.fileId))
      const foundAt = new Map(found.map((f) => [f.path, f]))
      const back = files
        .filter((f) => known.has(f.path) && !used.has(f.id))
        .map((f) => ({ ...f, folder: foundAt.get(f.path)?.folder ?? null, place: foundAt.get(f.path)?.place }))
      const all = [...back, ...rows]
      for (const f of back) known.delete(f.path)
      report.added = all.length
      if (all.length === 0) return null
      const masterFile = files.find((f) => f.id === doc.clips[clockOf(doc) ?? '']?.fileId)
      const { edits } = sort(doc, all, masterFile?.facts.video != null, files)
      return { rows: all.map(({ folder: _, place: __, ...row }) => row), edits, label: label(all.length, all[0].name) }
    },
    (rows) => {
      const { ids, writes } = queue.prepare(fileJobs(projectId, rows, author))
      jobIds = ids
      return writes
    },
  )
  report.known = [...known].map((p) => path.basename(p))
  await queue.announce(jobIds)
  const returned = again.map(({ file, path: now }) => ({ ...file, path: now, name: path.basename(now) }))
  if (returned.length > 0) {
    const { ids, writes } = queue.prepare(fileJobs(projectId, returned, author))
    await store.write(writes)
    await queue.announce(ids)
  }
  return report
}

/** Where a file lay, as it is sorted. */
type Sorted = Pick<Found, 'folder' | 'place'>
type Row = { readonly id: string; readonly name: string; readonly facts: FileFacts } & Sorted

/**
 * Which angle each new file belongs to, and the proposals that go with a first gathering.
 * @param masterIsCamera the master so far is a camera's own sound: a recording that comes later takes its place as
 *   long as nothing has been lined up
 * @param before files that the project has; more of a camera's go to its angle, however that is called now
 */
export function sort(doc: ProjectDoc, rows: readonly Row[], masterIsCamera = false, before: readonly FileRow[] = []): { edits: Edit[] } {
  const angles: Angle[] = []
  const byKey = new Map(doc.angles.map((a) => [a.name.toLowerCase(), a]))
  const replaceable = masterIsCamera && Object.keys(doc.placements).length <= 1
  const candidates = clockOf(doc) ? (replaceable ? rows.filter((r) => !r.facts.video) : []) : rows
  const master = proposeMaster(candidates)
  const clips = rows.map((row): Clip => ({ id: randomUUID(), fileId: row.id, angleId: null, state: 'in' }))
  const clipOf = new Map(rows.map((row, i) => [row.id, clips[i]]))
  // The recording everything is placed on is no angle: it has no picture to choose.
  const seen = rows.filter((row) => row.id !== master || row.facts.video)
  for (const device of devicesOf([...seen, ...neighbours(rows, before)])) {
    const fresh = device.fileIds.filter((id) => clipOf.has(id))
    if (fresh.length === 0) continue
    let angle = angleOfMost(doc, device.fileIds) ?? byKey.get(device.name.toLowerCase())
    if (!angle) {
      angle = { id: randomUUID(), name: device.name, hue: nextHue([...doc.angles, ...angles]), framing: 'fit' }
      angles.push(angle)
      byKey.set(device.name.toLowerCase(), angle)
    }
    for (const id of fresh) (clipOf.get(id) as Clip).angleId = angle.id
  }
  const masterClipId = (master !== null && clipOf.get(master)?.id) || null
  // Cameras come first: the low number keys call pictures that move.
  const worth = (a: Angle) => Math.max(...rows.map(({ facts: { video } }, i) => (clips[i].angleId !== a.id || !video ? 0 : video.still ? 1 : 2)))
  angles.sort((a, b) => worth(b) - worth(a))
  const edits: Edit[] = [{ type: 'addClips', angles, clips }]
  const settings = Object.keys(doc.clips).length === 0 ? proposeSettings(rows) : null
  if (settings) edits.push({ type: 'settings', change: settings })
  const stills = rows.flatMap((row, i) => (row.facts.video?.still ? [clips[i].id] : []))
  if (stills.length > 0) edits.push({ type: 'place', by: 'search', placements: Object.fromEntries(stills.map((id) => [id, { ...STILL_PLACE }])), loose: {} })
  if (masterClipId) edits.push({ type: 'setMaster', clipId: masterClipId })
  return { edits }
}

/** Files of the project that lie in the folders of the new ones. */
function neighbours(rows: readonly Row[], before: readonly FileRow[]): Row[] {
  const places = new Map(rows.flatMap(({ place, folder }) => (place === undefined ? [] : [[place, folder] as const])))
  const fresh = new Set(rows.map((r) => r.id))
  return before.flatMap((file) => {
    const place = [...places.keys()].find((p) => file.path.startsWith(p + path.sep))
    return place === undefined || fresh.has(file.id) ? [] : [{ ...file, folder: places.get(place) ?? null }]
  })
}

/** The angle that most clips of some files belong to. */
function angleOfMost(doc: ProjectDoc, fileIds: readonly string[]): Angle | null {
  const wanted = new Set(fileIds)
  const counts = new Map<string, number>()
  for (const clip of Object.values(doc.clips)) if (clip.angleId && wanted.has(clip.fileId)) counts.set(clip.angleId, (counts.get(clip.angleId) ?? 0) + 1)
  const [most] = [...counts].sort((a, b) => b[1] - a[1])
  return doc.angles.find((a) => a.id === most?.[0]) ?? null
}

const MASTERLY = /master|desk|mix|board|song|main/i

/** The longest recording without picture, one that is named like a mix first; without any, the longest with sound; in a silent project the longest camera. */
function proposeMaster(rows: readonly Row[]): string | null {
  const weight = (r: (typeof rows)[number]) => r.facts.durationSeconds * (MASTERLY.test(`${r.folder ?? ''} ${r.name}`) ? 1000 : 1) * (r.facts.video ? 0.001 : 1)
  const sounding = rows.some((r) => r.facts.audio)
  const usable = rows.filter((r) => (sounding ? r.facts.audio : r.facts.video && !r.facts.video.still))
  return usable.sort((a, b) => weight(b) - weight(a))[0]?.id ?? null
}

function proposeSettings(rows: readonly { facts: FileFacts }[]) {
  const weigh = (key: (v: NonNullable<FileFacts['video']>) => string) => {
    const sums = new Map<string, number>()
    for (const { facts } of rows) if (facts.video && !facts.video.still) sums.set(key(facts.video), (sums.get(key(facts.video)) ?? 0) + facts.durationSeconds)
    return [...sums].sort((a, b) => b[1] - a[1])[0]?.[0]
  }
  const rate = weigh((v) => rateKey(v.rate))
  const raster = weigh((v) => `${v.width}x${v.height}`)
  if (!rate || !raster) return null
  const [width, height] = raster.split('x').map((n) => Number(n) & ~1)
  const labels = rows.flatMap(({ facts }) => (facts.video && facts.timecode && rateKey(facts.video.rate) === rate ? [facts.timecode] : []))
  const dropping = labels.filter((l) => l.includes(';')).length * 2 > labels.length && canDropFrames(parseRate(rate) as Rate)
  return { ...(PROJECT_RATES.includes(rate as ProjectRate) && { rate: rate as ProjectRate, ...(dropping && { dropFrame: true }) }), width, height }
}
