import { replaceEqualDeep } from '@tanstack/react-query'
import { useRef } from 'react'

/** The one before when both say the same, else the new one as it is: what its parts share with each other they go on sharing. */
const kept = <T>(before: T, made: T): T => (replaceEqualDeep(before, made) === before ? before : made)

/** What was made anew and says the same stays the same object: memoised children need not redraw. */
export function useKept<T>(made: T): T {
  const last = useRef(made)
  last.current = kept(last.current, made)
  return last.current
}

/** The same for each of a list by itself, by their keys. */
export function useKeptEach<T extends { readonly key: string }>(made: readonly T[]): readonly T[] {
  const last = useRef(made)
  const before = new Map(last.current.map((one) => [one.key, one]))
  const next = made.map((one) => kept(before.get(one.key) ?? one, one))
  const same = next.length === last.current.length && next.every((one, i) => one === last.current[i])
  if (!same) last.current = next
  return last.current
}
