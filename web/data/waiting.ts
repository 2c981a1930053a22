import { useSyncExternalStore } from 'react'

/** How many changes wait because the server cannot be reached. */
let waiting = 0
const listeners = new Set<() => void>()

function set(count: number): void {
  waiting = count
  for (const listener of listeners) listener()
}

/** A change begins to wait. @returns a function that ends it */
export function waits(): () => void {
  if (waiting === 0) window.addEventListener('beforeunload', holdBack)
  set(waiting + 1)
  let ended = false
  return () => {
    if (ended) return
    ended = true
    set(waiting - 1)
    if (waiting === 0) window.removeEventListener('beforeunload', holdBack)
  }
}

/** Who leaves the page now would lose what waits: the browser asks. */
function holdBack(event: BeforeUnloadEvent): void {
  event.preventDefault()
}

export function useWaiting(): number {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener)
      return () => listeners.delete(listener)
    },
    () => waiting,
  )
}
