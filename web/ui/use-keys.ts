import { useEffect, useState } from 'react'
import { useHotkeys } from 'react-hotkeys-hook'
import { belongsToFocus } from './focus.ts'
import { type Entry, KEYMAP, type KeyId } from './keymap.ts'

/**
 * Handles the keys of an entry while the component is there; one act for each of its keys.
 * The newest acts count: what they see of the project is what was drawn last. Keys that belong to what has the focus are left to it.
 */
export function useKeys(id: KeyId, ...acts: ((event: KeyboardEvent) => unknown)[]): void {
  const { keys }: Entry = KEYMAP[id]
  const options = { preventDefault: id !== 'accept' && id !== 'nothing', enableOnFormTags: true, ignoreEventWhen: belongsToFocus }
  // biome-ignore lint/correctness/useHookAtTopLevel: an entry always has the same keys, so the hooks are called in the same order each time
  for (const [i, key] of keys.entries()) useHotkeys(key, (event) => void acts[i]?.(event), options)
}

/** Whether the key of an entry is held down. */
export function useKeyHeld(id: KeyId): boolean {
  const [held, setHeld] = useState(false)
  const { keys }: Entry = KEYMAP[id]
  useHotkeys(keys[0], (event) => setHeld(event.type === 'keydown'), {
    keydown: true,
    keyup: true,
    preventDefault: true,
    enableOnFormTags: true,
    ignoreEventWhen: belongsToFocus,
  })
  // Who leaves the window lets go of it unheard.
  useEffect(() => {
    const letGo = () => setHeld(false)
    window.addEventListener('blur', letGo)
    return () => window.removeEventListener('blur', letGo)
  }, [])
  return held
}
