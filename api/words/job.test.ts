import { JOB_KINDS } from '../types.ts'
import { jobText } from './job.ts'

test.each([
  ['sound', 'a.wav', 'sound of a.wav'],
  ['copies', 'a.mov', 'light copy of a.mov'],
  ['lineup', '', 'line up'],
  ['pulse', 'beats', 'find the pulse'],
  ['pulse', 'speech', 'find speech'],
  ['film', '', 'film'],
  ['film', 'Encore', 'film of Encore'],
  ['loudness', '', 'measure the loudness'],
  ['originals', '', 'look for originals'],
] as const)('%s about “%s”: %s', (kind, about, words) => {
  expect(jobText({ kind, about })).toBe(words)
})

test('every kind has words', () => {
  for (const kind of JOB_KINDS) expect(jobText({ kind, about: '' }).length).toBeGreaterThan(0)
})
