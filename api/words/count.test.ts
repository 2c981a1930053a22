import { counted } from './count.ts'

test.each([
  [0, '0 clips'],
  [1, '1 clip'],
  [2, '2 clips'],
])('%d clips in words', (n, words) => expect(counted(n, 'clip')).toBe(words))
