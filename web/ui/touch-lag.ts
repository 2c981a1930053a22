import { useSyncExternalStore } from 'react'

/** How late this person presses at this device, ms; kept in this browser, used wherever something is tapped in time. */
const KEY = 'pendolo.touch-lag-ms'
const listeners = new Set<() => void>()

const read = () => {
  const kept = Number(localStorage.getItem(KEY) ?? 0)
  return Number.isFinite(kept) ? kept : 0
}

export function setTouchLag(ms: number): void {
  localStorage.setItem(KEY, String(Math.round(ms)))
  for (const listener of listeners) listener()
}

export function useTouchLag(): number {
  return useSyncExternalStore((listener) => {
    listeners.add(listener)
    return () => listeners.delete(listener)
  }, read)
}
