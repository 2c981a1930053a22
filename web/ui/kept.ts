import { replaceEqualDeep } from '@tanstack/react-query'
import { useRef } from 'react'

/** What was made anew and says the same stays the same object, in all its parts: memoised children need not redraw. */
export function useKept<T>(made: T): T {
  const kept = useRef(made)
  kept.current = replaceEqualDeep(kept.current, made)
  return kept.current
}
