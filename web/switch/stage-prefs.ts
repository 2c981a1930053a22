import { useSyncExternalStore } from 'react'

/** What of the stage is shown. */
export const SHOWN = ['both', 'programme', 'angles'] as const
export type Shown = (typeof SHOWN)[number]

/** How this browser shows the stage; no part of the project. */
export interface StagePrefs {
  /** Height of the stage, share of the room that it has together with the score. */
  readonly height: number
  /** Width of the programme, share of the stage; null where the seating chooses. */
  readonly programme: number | null
  readonly shown: Shown
  /** Angles that are not seen on the wall, by project. */
  readonly hidden: Readonly<Record<string, readonly string[]>>
  /** The angle that is kept beside the programme, by project. */
  readonly kept: Readonly<Record<string, string>>
  /** What the lanes of the score show besides the cut. */
  readonly lanes: { readonly pictures: boolean; readonly waves: boolean }
}

export const LEAST_HEIGHT = 0.2
export const MOST_HEIGHT = 0.8
export const LEAST_PROGRAMME = 0.15
export const MOST_PROGRAMME = 0.85

const KEY = 'pendolo.stage'
const DEFAULTS: StagePrefs = { height: 0.47, programme: null, shown: 'both', hidden: {}, kept: {}, lanes: { pictures: true, waves: true } }
const listeners = new Set<() => void>()

const between = (value: unknown, low: number, high: number): number | null =>
  typeof value === 'number' && Number.isFinite(value) ? Math.min(high, Math.max(low, value)) : null

/** What was kept, whatever its state: an older version or another hand may have written it. */
export function readPrefs(text: string | null): StagePrefs {
  try {
    const kept = JSON.parse(text ?? '{}') as Partial<StagePrefs>
    return {
      height: between(kept.height, LEAST_HEIGHT, MOST_HEIGHT) ?? DEFAULTS.height,
      programme: between(kept.programme, LEAST_PROGRAMME, MOST_PROGRAMME),
      shown: SHOWN.find((s) => s === kept.shown) ?? DEFAULTS.shown,
      hidden: kept.hidden && typeof kept.hidden === 'object' ? kept.hidden : {},
      kept: kept.kept && typeof kept.kept === 'object' ? kept.kept : {},
      lanes: { pictures: kept.lanes?.pictures !== false, waves: kept.lanes?.waves !== false },
    }
  } catch {
    return DEFAULTS
  }
}

let text: string | null = null
let prefs: StagePrefs | null = null

function current(): StagePrefs {
  const now = localStorage.getItem(KEY)
  if (!prefs || now !== text) {
    text = now
    prefs = readPrefs(now)
  }
  return prefs
}

export function setStagePrefs(change: Partial<StagePrefs>): void {
  localStorage.setItem(KEY, JSON.stringify({ ...current(), ...change }))
  for (const listener of listeners) listener()
}

/** Hides an angle, or brings it back. */
export function setHidden(projectId: string, angleId: string, hidden: boolean): void {
  const before = current().hidden[projectId] ?? []
  const after = hidden ? [...before.filter((id) => id !== angleId), angleId] : before.filter((id) => id !== angleId)
  setStagePrefs({ hidden: { ...current().hidden, [projectId]: after } })
}

/** Keeps an angle beside the programme; null none. */
export function setKept(projectId: string, angleId: string | null): void {
  const { [projectId]: _, ...others } = current().kept
  setStagePrefs({ kept: angleId === null ? others : { ...others, [projectId]: angleId } })
}

export function useStagePrefs(): StagePrefs {
  return useSyncExternalStore((listener) => {
    listeners.add(listener)
    return () => listeners.delete(listener)
  }, current)
}
