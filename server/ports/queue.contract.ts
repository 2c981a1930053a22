import type { Job } from '@pendolo/api'
import { Cancelled } from '../media/ffmpeg.ts'
import { MediaError } from '../media/words.ts'
import type { JobHandler, JobQueue, JobRun } from './queue.ts'

/** A queue and what it told of its jobs. */
export interface OpenedQueue {
  readonly queue: JobQueue
  readonly told: readonly Job[]
}

/** A handler that holds each run until the test lets it end. */
export function held() {
  const runs: (JobRun & { end: (error?: Error) => void })[] = []
  const handler: JobHandler = (run) =>
    new Promise((resolve, reject) => {
      run.signal.addEventListener('abort', () => reject(new Cancelled()))
      runs.push({ ...run, end: (error) => (error ? reject(error) : resolve({ detail: { code: 'ready' } })) })
    })
  return { runs, handler }
}

export async function until<T>(look: () => Promise<T> | T, fits: (value: T) => boolean): Promise<T> {
  for (let i = 0; i < 400; i++) {
    const value = await look()
    if (fits(value)) return value
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
  throw new Error(`waited in vain; at last it was ${JSON.stringify(await look())}`)
}

export const state = (queue: JobQueue, id: string, wanted: Job['state']) =>
  until(
    () => queue.get(id),
    (job) => job?.state === wanted,
  )

/**
 * What any queue must do.
 * @param newPlace where nothing was kept yet
 * @param open a queue on a place, as the next process would find it; those opened before are left as they are
 */
export function queueContract<Place>(name: string, newPlace: () => Place, open: (place: Place) => Promise<OpenedQueue>): void {
  describe(name, () => {
    test('a job runs, tells how far it is, and ends with what its handler says', async () => {
      const { queue, told } = await open(newPlace())
      const { runs, handler } = held()
      queue.handle('sound', handler)
      const id = await queue.add({ projectId: 'p1', kind: 'sound', about: 'a.wav', fileId: 'f', payload: { a: 1 } })
      await until(
        () => runs.length,
        (n) => n === 1,
      )
      expect(runs[0]).toMatchObject({ projectId: 'p1', fileId: 'f', payload: { a: 1 } })
      runs[0].report(0.4, { code: 'listening', file: 'half a song' })
      await until(
        () => queue.get(id),
        (job) => job?.detail.code === 'listening' && job.detail.file === 'half a song',
      )
      // More than all cannot be done.
      await new Promise((resolve) => setTimeout(resolve, 250))
      runs[0].report(7)
      await until(
        () => queue.get(id),
        (job) => job?.progress === 1,
      )
      runs[0].end()
      expect(await state(queue, id, 'done')).toMatchObject({ detail: { code: 'ready' }, progress: 1 })
      const states = told.filter((job) => job.id === id).map((job) => job.state)
      expect(states[0]).toBe('queued')
      expect(states.at(-1)).toBe('done')
      expect([...states].sort((a, b) => ['queued', 'running', 'done'].indexOf(a) - ['queued', 'running', 'done'].indexOf(b))).toEqual(states)
    })

    test('asked twice for the same, it is done once; another file or another wish is another job', async () => {
      const { queue } = await open(newPlace())
      const { runs, handler } = held()
      queue.handle('copies', handler)
      const job = { projectId: 'p2', kind: 'copies', fileId: 'f' } as const
      const id = await queue.add(job)
      expect(await queue.add(job)).toBe(id)
      expect(await queue.add({ ...job, fileId: 'g' })).not.toBe(id)
      expect(await queue.add({ ...job, payload: { anew: true } })).not.toBe(id)
      await until(
        () => runs.length,
        (n) => n === 1,
      )
      runs[0].end()
      await state(queue, id, 'done')
      // What has ended may be asked for again.
      expect(await queue.add(job)).not.toBe(id)
      await queue.stop()
    })

    test('what a person waits for goes before what merely improves the view, and one of a kind runs at a time', async () => {
      const { queue } = await open(newPlace())
      const { runs, handler } = held()
      for (const kind of ['copies', 'sound', 'film'] as const) queue.handle(kind, handler)
      const project = { projectId: 'p3' }
      const copies = await queue.add({ ...project, kind: 'copies', fileId: 'a' })
      const sound = await queue.add({ ...project, kind: 'sound', fileId: 'a' })
      await until(
        () => runs.length,
        (n) => n === 2,
      )
      const second = await queue.add({ ...project, kind: 'sound', fileId: 'b' })
      const film = await queue.add({ ...project, kind: 'film' })
      runs.find((r) => r.jobId === copies)?.end()
      await until(
        () => runs.length,
        (n) => n === 3,
      )
      expect(runs[2].jobId).toBe(film)
      runs[2].end()
      await state(queue, film, 'done')
      // There is room again, but a sound is being heard still.
      expect(await queue.get(second)).toMatchObject({ state: 'queued' })
      runs.find((r) => r.jobId === sound)?.end()
      await state(queue, second, 'running')
      await queue.stop()
    })

    test('a waiting job is cancelled before it begins, a running one is told to stop, an ended one stays as it is', async () => {
      const { queue } = await open(newPlace())
      const { runs, handler } = held()
      queue.handle('pulse', handler)
      const first = await queue.add({ projectId: 'p4', kind: 'pulse' })
      const waiting = await queue.add({ projectId: 'p4', kind: 'pulse', payload: 2 })
      await state(queue, first, 'running')
      await queue.cancel(waiting)
      expect(await queue.get(waiting)).toMatchObject({ state: 'cancelled' })
      await until(
        () => runs.length,
        (n) => n === 1,
      )
      await queue.cancel(first)
      await state(queue, first, 'cancelled')
      expect(runs).toHaveLength(1)
      await queue.retry(first)
      await until(
        () => runs.length,
        (n) => n === 2,
      )
      runs[1].end()
      await state(queue, first, 'done')
      await queue.cancel(first)
      await queue.retry(first)
      expect(await queue.get(first)).toMatchObject({ state: 'done', detail: { code: 'ready' } })
    })

    test('cancelled at the very moment it was asked for, it never runs', async () => {
      const { queue } = await open(newPlace())
      const { runs, handler } = held()
      queue.handle('lineup', handler)
      for (let i = 0; i < 20; i++) {
        const id = await queue.add({ projectId: 'p5', kind: 'lineup', payload: i })
        await queue.cancel(id)
        const job = await until(
          () => queue.get(id),
          (j) => j?.state === 'cancelled',
        )
        expect(job?.detail).toEqual({ code: 'cancelled' })
      }
      expect(runs).toHaveLength(0)
    })

    test('a failure is told in the handler’s words, and can be tried again', async () => {
      const { queue } = await open(newPlace())
      const { runs, handler } = held()
      queue.handle('film', handler)
      const id = await queue.add({ projectId: 'p6', kind: 'film' })
      await until(
        () => runs.length,
        (n) => n === 1,
      )
      runs[0].end(new MediaError('gantry.mov cannot be read: plug the disk in and try again', 'Input/output error'))
      expect(await state(queue, id, 'failed')).toMatchObject({
        detail: { code: 'words', text: 'gantry.mov cannot be read: plug the disk in and try again' },
        raw: 'Input/output error',
      })
      await queue.retry(id)
      await until(
        () => runs.length,
        (n) => n === 2,
      )
      runs[1].end()
      expect(await state(queue, id, 'done')).toMatchObject({ progress: 1 })
    })

    test('what waited or ran when the process ended is taken up by the next one; what had ended is not', async () => {
      const place = newPlace()
      const before = await open(place)
      const { runs, handler } = held()
      before.queue.handle('lineup', handler)
      const add = (payload: string) => before.queue.add({ projectId: 'p7', kind: 'lineup', payload })
      const done = await add('done')
      await until(
        () => runs.length,
        (n) => n === 1,
      )
      runs[0].end()
      await state(before.queue, done, 'done')
      const running = await add('running')
      await state(before.queue, running, 'running')
      const waiting = await add('waiting')
      await before.queue.stop()

      const after = await open(place)
      const again = held()
      after.queue.handle('lineup', again.handler)
      await after.queue.resume()
      await until(
        () => again.runs.length,
        (n) => n === 1,
      )
      expect(again.runs[0].payload).toBe('running')
      again.runs[0].end()
      await until(
        () => again.runs.length,
        (n) => n === 2,
      )
      expect(again.runs[1].jobId).toBe(waiting)
      again.runs[1].end()
      await state(after.queue, waiting, 'done')
      expect(await after.queue.get(done)).toMatchObject({ state: 'done' })
      expect(await after.queue.list('p7')).toHaveLength(3)
    })

    test('a job during which the process ended twice is set aside with words, and the second time it runs by itself', async () => {
      const place = newPlace()
      const first = await open(place)
      const { handler } = held()
      for (const kind of ['lineup', 'pulse'] as const) first.queue.handle(kind, handler)
      const id = await first.queue.add({ projectId: 'p8', kind: 'lineup' })
      await state(first.queue, id, 'running')
      // The process ends without a word: nothing of the first queue is stopped or closed.
      const second = await open(place)
      const again = held()
      for (const kind of ['lineup', 'pulse'] as const) second.queue.handle(kind, again.handler)
      await second.queue.resume()
      await state(second.queue, id, 'running')
      const other = await second.queue.add({ projectId: 'p8', kind: 'pulse' })
      await new Promise((resolve) => setTimeout(resolve, 50))
      expect(await second.queue.get(other)).toMatchObject({ state: 'queued' })
      const third = await open(place)
      const last = held()
      for (const kind of ['lineup', 'pulse'] as const) third.queue.handle(kind, last.handler)
      await third.queue.resume()
      expect(await third.queue.get(id)).toMatchObject({ state: 'failed', detail: { code: 'ended-twice' } })
      await state(third.queue, other, 'running')
      // Tried again by the user, it begins with a clean slate.
      await third.queue.retry(id)
      await state(third.queue, id, 'running')
    })

    test('a job that was stopped in good order is taken up as often as that happens', async () => {
      const place = newPlace()
      let id = ''
      for (let n = 0; n < 4; n++) {
        const { queue } = await open(place)
        queue.handle('lineup', held().handler)
        if (n === 0) id = await queue.add({ projectId: 'p9', kind: 'lineup' })
        else await queue.resume()
        await state(queue, id, 'running')
        await queue.stop()
        expect(await queue.get(id)).toMatchObject({ state: 'queued' })
      }
    })

    test('jobs that are written with something else begin when they are announced, and are known by file and kind', async () => {
      const { queue } = await open(newPlace())
      const { runs, handler } = held()
      queue.handle('sound', handler)
      const { ids, writes } = queue.prepare(['f', 'g'].map((fileId) => ({ projectId: 'p11', kind: 'sound', fileId })))
      expect(ids).toHaveLength(2)
      expect(writes.length).toBeGreaterThan(0)
      // Nothing is kept before somebody writes it.
      expect(await queue.list('p11')).toEqual([])
      expect(runs).toHaveLength(0)
      const id = await queue.add({ projectId: 'p11', kind: 'sound', fileId: 'h' })
      await state(queue, id, 'running')
      expect([...(await queue.latest('p11'))]).toEqual([['sound h', 'running']])
      await queue.stop()
    })
  })
}
