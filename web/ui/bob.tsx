import type { CSSProperties } from 'react'
import { ANGLE_KEYS } from './keymap.ts'
import { hueOf } from './theme.ts'

/** Keys that call angles, in their order. */

export function angleKey(index: number): string {
  return (ANGLE_KEYS[index] ?? String(index + 1)).toUpperCase()
}

/** @param size px across; small ones where many angles share the room */
export function Bob({ index, hue, lit = false, size = 20 }: { index: number; hue: number; lit?: boolean; size?: number }) {
  return (
    <span
      className={lit ? 'bob lit' : 'bob'}
      style={{ '--hue': hueOf(hue), width: size, height: size, fontSize: size * 0.53, borderWidth: size < 16 ? 1 : 2 } as CSSProperties}
    >
      {angleKey(index)}
    </span>
  )
}
