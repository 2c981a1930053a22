import path from 'node:path'
import { Analysis } from './analysis.ts'
import { Cancelled } from './media/ffmpeg.ts'
import { probe } from './media/probe.ts'
import { makeMedia, showFolder, testConfig } from './testing.ts'
import type { Task } from './worker.ts'

test('a film that waits for a thread ends at once when it is cancelled, and others go on', async () => {
  const config = testConfig()
  const file = makeMedia(path.join(showFolder(config), 'long.wav'), ['-f', 'lavfi', '-i', 'anoisesrc=sample_rate=48000:duration=60'])
  const facts = await probe(config, file)
  const analysis = new Analysis(config)
  let done = 0
  const busy = Array.from({ length: analysis.threads }, () => analysis.run({ kind: 'pulse', config, file, facts }).then(() => done++))
  const abort = new AbortController()
  const film = analysis.run(
    { kind: 'film', config, exchange: {}, files: new Map(), size: { width: 16, height: 16 }, out: path.join(config.films, 'x.mp4') } as unknown as Task,
    abort.signal,
  )
  setTimeout(() => abort.abort(), 50)
  await expect(film).rejects.toThrow(Cancelled)
  expect(done).toBe(0)
  await Promise.all(busy)
  expect(done).toBe(analysis.threads)
  await expect(analysis.run({ kind: 'film' } as Task, AbortSignal.abort())).rejects.toThrow(Cancelled)
  await analysis.close()
})
