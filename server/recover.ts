import path from 'node:path'
import { queueMissing } from './jobs/wanted.ts'
import type { Workshop } from './jobs/workshop.ts'
import { gather } from './project/gather.ts'
import { discard, droppedFound, leftovers } from './project/uploads.ts'

/**
 * Brings to an end what an earlier process, or an earlier fault, left half done: files without a clip, dropped files that
 * arrived whole but were not gathered, and files without their jobs. Only the process that has the data folder calls it.
 */
export async function recover(shop: Workshop, warn: (error: unknown, projectId: string) => void): Promise<void> {
  const { config, store } = shop
  for (const projectId of await store.ids()) {
    try {
      const dropped = await leftovers(config, projectId, await store.allPaths())
      if (dropped.length > 0) {
        await gather(shop, projectId, droppedFound(dropped)).catch((error: unknown) => warn(error, projectId))
        await discard(
          config,
          dropped.map((d) => d.path),
          await store.allPaths(),
        )
      }
      const { clips } = await store.doc(projectId)
      const used = new Set(Object.values(clips).map((c) => c.fileId))
      const stranded = []
      // What undo took back was named by an edit once; what no edit ever named was lost on the way.
      for (const file of await store.files(projectId))
        if (!used.has(file.id) && !(await store.wasNamed(projectId, file.id)))
          stranded.push({ path: file.path, folder: path.basename(path.dirname(file.path)) })
      if (stranded.length > 0) await gather(shop, projectId, stranded)
    } catch (error) {
      warn(error, projectId)
    }
  }
  await queueMissing(shop)
}
