import type { FileFacts } from '@pendolo/core/project'
import type { Analysis } from '../analysis.ts'
import { type TakenClip, takesOf } from './takes.ts'

const clip = (id: string, angleId: string, recordedAt: string | null): TakenClip => ({
  recording: {
    id,
    name: `${id}.mov`,
    path: `/${id}`,
    contentKey: id,
    facts: { durationSeconds: 180, video: {}, audio: {}, recordedAt } as unknown as FileFacts,
  },
  startSeconds: 0,
  rate: 1,
  angleId,
})
const at = (minute: number) => `2026-05-02T10:${String(minute).padStart(2, '0')}:00Z`
const master = { file: 'master', startSeconds: 0, durationSeconds: 200 }

/** Ears that say how much two recordings have in common beside the master. */
const ears = (said: Record<string, number>) => ({
  sound: async ({ id }: { id: string }) => ({ file: id, findings: {} as never }),
  analysis: { run: async (task: { a: { file: string }; b: { file: string } }) => said[`${task.a.file} ${task.b.file}`] ?? 2 } as unknown as Pick<
    Analysis,
    'run'
  >,
})

const timed = [clip('a1', 'a', at(0)), clip('a2', 'a', at(10)), clip('b2', 'b', at(10))]

test('what has no clock belongs to the take that it heard, and to none where two sound alike', async () => {
  const clips = [...timed, clip('x', 'c', null)]
  expect(await takesOf(clips, master, ears({ 'x a2': 14, 'x b2': 11, 'x a1': 5 }))).toEqual([['a1'], ['a2', 'b2', 'x']])
  expect(await takesOf(clips, master, ears({ 'x a2': 14, 'x a1': 12 }))).toEqual([['a1'], ['a2', 'b2']])
  expect(await takesOf(clips, master, ears({ 'x a2': 6 }))).toEqual([['a1'], ['a2', 'b2']])
})

test('without clocks the camera that has most tells the takes, by the names of its files', async () => {
  const clips = [clip('a10', 'a', null), clip('a2', 'a', null), clip('x', 'b', null)]
  expect(await takesOf(clips, master, ears({ 'x a10': 9 }))).toEqual([['a2'], ['a10', 'x']])
})

test('an event that was recorded once has no takes', async () => {
  expect(await takesOf([clip('a', 'a', at(0)), clip('b', 'b', at(0))], master, ears({}))).toEqual([])
})
