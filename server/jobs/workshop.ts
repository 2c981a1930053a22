import type { ExchangeFile } from '@pendolo/core/formats'
import { clockOf, type ProjectDoc } from '@pendolo/core/project'
import type { Analysis } from '../analysis.ts'
import type { Config } from '../config.ts'
import { type Joined, joinedMaster } from '../film/joined.ts'
import { present } from '../media/originals.ts'
import { MediaError } from '../media/words.ts'
import type { EventBus } from '../ports/bus.ts'
import type { JobQueue, JobRun } from '../ports/queue.ts'
import type { FileRow, ProjectStore } from '../ports/store.ts'

/** What every job works with. */
export interface Workshop {
  readonly config: Config
  readonly store: ProjectStore
  readonly queue: JobQueue
  readonly events: EventBus
  readonly analysis: Analysis
}

/** The original that a job is about. @throws MediaError where it is gone */
export async function fileOf(shop: Workshop, run: JobRun): Promise<FileRow> {
  const file = (await shop.store.files(run.projectId)).find((f) => f.id === run.fileId)
  if (!file) throw new MediaError('the file is no longer part of the project')
  await present(shop.config, file)
  return file
}

/** The file that keeps the project's time; `heard` when its sound is needed. */
export async function masterOf(config: Config, doc: ProjectDoc, files: readonly FileRow[], heard = true): Promise<FileRow> {
  const clip = doc.clips[clockOf(doc) ?? '']
  const file = clip && files.find((f) => f.id === clip.fileId)
  if (!file) throw new MediaError('there is no master yet; choose one in Gather')
  if (heard && !file.facts.audio) throw new MediaError(`${file.name} has no sound; choose another master`)
  await present(config, file)
  return file
}

/** All recordings that are the master together as one sound. */
export async function joinedOf({ config }: Workshop, doc: ProjectDoc, files: readonly FileRow[], { report, signal }: JobRun): Promise<Joined> {
  report(0, { code: 'joining-masters' })
  for (const id of doc.master.clipIds) {
    const file = files.find((f) => f.id === doc.clips[id]?.fileId)
    if (file) await present(config, file)
  }
  return joinedMaster(config, doc, exchangeFiles(files), new Map(files.map((f) => [f.id, f.contentKey])), signal)
}

/** Files of a project as exchange formats and the film want them. */
export function exchangeFiles(rows: readonly FileRow[]): Map<string, ExchangeFile> {
  return new Map(rows.map((r) => [r.id, { id: r.id, name: r.name, path: r.path, facts: r.facts, size: r.size }]))
}
