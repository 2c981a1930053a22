import type { ProjectState } from '@pendolo/api'
import { useEffect, useMemo, useSyncExternalStore } from 'react'
import { Engine, type EngineHealth, type EngineState } from './engine.ts'
import { playModel } from './model.ts'
import type { PlayModel } from './types.ts'

/** One engine for the whole application: stages come and go, the clock stays. */
export const engine = new Engine()

declare global {
  interface Window {
    /** Health of the playback engine, for tests and scripts; see docs/playback-health.md. */
    pendolo: { health: () => EngineHealth; resetHealth: () => void }
  }
}
window.pendolo = { health: () => engine.health(), resetHealth: () => engine.resetHealth() }

/** What a view needs of the engine's state: it is drawn anew only when this changes, so it is one plain value. */
export function useEngine<T extends string | number | boolean | null>(select: (state: EngineState) => T): T {
  return useSyncExternalStore(engine.subscribe, () => select(engine.getState()))
}

/** Keeps the engine playing what the project is now. */
export function useLoaded(project: ProjectState): PlayModel {
  const model = useMemo(() => playModel(project), [project])
  useEffect(() => engine.load(model), [model])
  return model
}
