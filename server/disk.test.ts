import { DiskError, diskWords, needRoom, watchRoom } from './disk.ts'
import { testConfig } from './testing.ts'

const error = (message: string, code?: string, cause?: Error) => Object.assign(new Error(message, { cause }), { code })

test('errors of a full or read-only disk are known through whatever wraps them', () => {
  for (const full of [
    error('ENOSPC: no space left on device, write', 'ENOSPC'),
    error('Failed query', undefined, error('x', 'SQLITE_FULL')),
    error('Failed query', undefined, error('y', undefined, error('database or disk is full'))),
  ])
    expect(diskWords(full)).toMatch(/full.*make room/)
  for (const readOnly of [error('EROFS: read-only file system', 'EROFS'), error('x', 'SQLITE_READONLY'), error('x', 'SQLITE_CANTOPEN')])
    expect(diskWords(readOnly)).toMatch(/cannot be written/)
  for (const other of [error('no such table', 'SQLITE_ERROR'), error('nothing'), 'text', null]) expect(diskWords(other)).toBeNull()
})

test('what does not fit is refused before it begins, with what it needs and what there is', async () => {
  const config = testConfig()
  const { mkdirSync } = await import('node:fs')
  mkdirSync(config.home, { recursive: true })
  await expect(needRoom({ ...config, reserveBytes: 0 }, config.home, 1000, 'the film')).resolves.toBeUndefined()
  await expect(needRoom({ ...config, reserveBytes: 2 ** 52 }, config.home, 3e9, 'the film')).rejects.toThrow(
    /the film needs about 3.0 GB, but only 0 MB .*make room/,
  )
  await expect(needRoom({ ...config, reserveBytes: 0 }, config.home, 2 ** 52, 'the film')).rejects.toThrow(DiskError)
})

test('a disk that fills up is told once', async () => {
  const config = testConfig()
  const { mkdirSync } = await import('node:fs')
  mkdirSync(config.home, { recursive: true })
  const told: DiskError[] = []
  const stop = watchRoom({ ...config, reserveBytes: 2 ** 53 }, config.home, (e) => told.push(e))
  await new Promise((resolve) => setTimeout(resolve, 2600))
  stop()
  expect(told.map((e) => e.message)).toEqual([expect.stringMatching(/almost full/)])
})
