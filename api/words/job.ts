import type { Job } from '../types.ts'

const FOUND: Readonly<Record<string, string>> = { beats: 'find the pulse', parts: 'find parts', speech: 'find speech' }

const WORDS: { readonly [K in Job['kind']]: (about: string) => string } = {
  sound: (file) => `sound of ${file}`,
  copies: (file) => `light copy of ${file}`,
  lineup: () => 'line up',
  pulse: (found) => FOUND[found] ?? `find ${found}`,
  film: (part) => (part ? `film of ${part}` : 'film'),
  loudness: () => 'measure the loudness',
  originals: () => 'look for originals',
  steady: (file) => `steady ${file}`,
  prepare: (range) => `pictures of ${range} for playing`,
}

/** What a job is about, in words. */
export function jobText(job: Pick<Job, 'kind' | 'about'>): string {
  return WORDS[job.kind](job.about)
}
