import { randomUUID } from 'node:crypto'
import { existsSync } from 'node:fs'
import path from 'node:path'
import { type Edit, own } from '@pendolo/core/project'
import { needRoom } from '../disk.ts'
import { contentKey } from '../media/content.ts'
import { probe } from '../media/probe.ts'
import { followsCameras, makeSteady, steadyPath } from '../media/steady.ts'
import { MediaError } from '../media/words.ts'
import type { JobOutcome, JobRun } from '../ports/queue.ts'
import { fileJobs } from './wanted.ts'
import { fileOf, type Workshop } from './workshop.ts'

/** Bytes of a steadied copy a pixel. */
const STEADY_BYTES = 0.08

/** Steadies the pictures of a clip and has them seen in place of its original's; what was steadied alike before is used again. */
export async function steady(shop: Workshop, run: JobRun): Promise<JobOutcome> {
  const { config, store, queue } = shop
  const { projectId, author } = run
  const { clipId, seconds } = run.payload as { clipId: string; seconds: number }
  const file = await fileOf(shop, run)
  const out = steadyPath(config, file.contentKey, seconds)
  let zoom: number | null = null
  if (!existsSync(out)) {
    const { video } = file.facts
    const pixels = (video?.width ?? 0) * (video?.height ?? 0) * (video?.frames ?? 0)
    await needRoom(config, config.worked, STEADY_BYTES * pixels, `the steadied pictures of ${file.name}`)
    const report = (share: number) => run.report(share, { code: 'steadying' })
    const { path: original, facts } = file
    zoom = (await followsCameras(config))
      ? await makeSteady(config, file, seconds, out, report, run.signal)
      : await shop.analysis.run({ kind: 'steady', config, file: { path: original, facts }, seconds, out }, run.signal, report)
  }
  const facts = await probe(config, out)
  const { key, size } = await contentKey(out)
  const name = `${path.parse(file.name).name} steady ${seconds} s.mp4`
  let jobIds: string[] = []
  await store.gather(
    projectId,
    author,
    (doc, files) => {
      if (!own(doc.clips, clipId)) throw new MediaError('the clip is no longer part of the project')
      const known = files.find((f) => f.path === out && f.contentKey === key)
      const row = known ?? { id: randomUUID(), projectId, path: out, name, size, contentKey: key, facts, notes: [] }
      const edits: Edit[] = [{ type: 'workedFile', clipId, fileId: row.id }]
      return { rows: known ? [] : [row], edits, label: `steady ${file.name}` }
    },
    (rows) => {
      const { ids, writes } = queue.prepare(fileJobs(projectId, rows, author))
      jobIds = ids
      return writes
    },
  )
  await queue.announce(jobIds)
  return { detail: zoom === null ? { code: 'ready' } : { code: 'steadied', zoom } }
}
