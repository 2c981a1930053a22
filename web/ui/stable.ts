import { useRef } from 'react'

/** An object that stays the same while its functions always act on the latest render: memoised children need not redraw. */
// biome-ignore lint/suspicious/noExplicitAny: functions of any shape are passed through as they are
export function useStable<T extends Record<string, (...args: any[]) => unknown>>(functions: T): T {
  const latest = useRef(functions)
  latest.current = functions
  const stable = useRef<T | null>(null)
  stable.current ??= Object.fromEntries(Object.keys(functions).map((key) => [key, (...args: unknown[]) => latest.current[key](...args)])) as T
  return stable.current
}
