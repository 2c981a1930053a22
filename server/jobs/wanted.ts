import type { Artefact } from '../media/artefacts.ts'
import { hasArtefact } from '../media/artefacts.ts'
import { listeningArtefacts } from '../media/sound.ts'
import type { NewJob } from '../ports/queue.ts'
import type { FileRow } from '../ports/store.ts'
import type { Workshop } from './workshop.ts'

/** What a newly gathered file needs. */
export function fileJobs(projectId: string, files: readonly FileRow[], author = ''): NewJob[] {
  return files.flatMap((file): NewJob[] => [
    ...(file.facts.audio ? [{ projectId, kind: 'sound' as const, about: file.name, fileId: file.id, author }] : []),
    ...(file.facts.video ? [{ projectId, kind: 'copies' as const, about: file.name, fileId: file.id, author }] : []),
  ])
}

/** What a file's job leaves; where it is gone, the job is done again. */
const leaves = (kind: NewJob['kind'], { facts }: FileRow): readonly Artefact[] =>
  kind === 'copies' ? ['tile', 'sharp', ...(facts.video?.still ? (['drawing'] as const) : [])] : [...listeningArtefacts(facts), 'peaks', 'analysis', 'findings']

/**
 * Queues what files of clips need and nobody is about to make: what an earlier fault left without a job, and what
 * was deleted on disk. What failed or was cancelled waits for the user.
 */
export async function queueMissing({ config, store, queue }: Workshop): Promise<void> {
  for (const projectId of await store.ids()) {
    const doc = await store.doc(projectId).catch(() => null)
    if (!doc) continue
    const used = new Set(Object.values(doc.clips).flatMap((c) => [c.fileId, c.workedFileId]))
    const latest = await queue.latest(projectId)
    for (const file of (await store.files(projectId)).filter((f) => used.has(f.id)))
      for (const job of fileJobs(projectId, [file])) {
        const state = latest.get(`${job.kind} ${file.id}`)
        const whole = leaves(job.kind, file).every((a) => hasArtefact(config, file.contentKey, a))
        if (!whole && (state === undefined || state === 'done')) await queue.add(job)
      }
  }
}
