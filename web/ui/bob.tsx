import type { CSSProperties } from 'react'
import { ANGLE_KEYS } from './keymap.ts'
import { hueOf } from './theme.ts'

/** What an angle is called by; a dot where there is no key for it: all are taken, or it is not in use. */
export function angleKey(index: number): string {
  return (ANGLE_KEYS[index] ?? '·').toUpperCase()
}

/** @param size px across; small ones where many angles share the room */
export function Bob({ index, hue, lit = false, size = 20 }: { index: number; hue: number; lit?: boolean; size?: number }) {
  return (
    <span
      className={lit ? 'bob lit' : 'bob'}
      title={index >= ANGLE_KEYS.length ? `no key: there are ${ANGLE_KEYS.length}, the order of the angles says whose they are` : undefined}
      style={{ '--hue': hueOf(hue), width: size, height: size, fontSize: size * 0.53, borderWidth: size < 16 ? 1 : 2 } as CSSProperties}
    >
      {angleKey(index)}
    </span>
  )
}
