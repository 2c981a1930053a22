import type { ProjectState } from '@pendolo/api'
import { applyEdits, type Edit } from '@pendolo/core/project'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useState, useSyncExternalStore } from 'react'
import { hearStates } from '../data/queries.ts'
import { Engine, type EngineHealth, type EngineState } from './engine.ts'
import { playModel } from './model.ts'
import { Thumbnails, type ThumbView } from './thumbs.ts'
import type { PlayModel } from './types.ts'

/** One engine for the whole application: stages come and go, the clock stays. */
export const engine = new Engine()

/** For tests, and for drivers that fail; else it is seen whether there is a graphics card. */
const drawing = localStorage.getItem('pendolo.drawing')
if (drawing === 'card' || drawing === 'processor') engine.drawBy(drawing)

/** Small pictures for all views. */
const thumbs = new Thumbnails(() => new Worker(new URL('./thumbs.worker.ts', import.meta.url), { type: 'module' }))

declare global {
  interface Window {
    /** Health of the playback engine, for tests and scripts; see docs/playback-health.md. */
    pendolo: { health: () => EngineHealth; resetHealth: () => void; rendered: (seconds: number) => Promise<Float32Array[]> }
  }
}
window.pendolo = { health: () => engine.health(), resetHealth: () => engine.resetHealth(), rendered: (seconds) => engine.rendered(seconds) }

/** What a view needs of the engine's state: it is drawn anew only when this changes, so it is one plain value. */
export function useEngine<T extends string | number | boolean | null>(select: (state: EngineState) => T): T {
  return useSyncExternalStore(engine.subscribe, () => select(engine.getState()))
}

/** Small pictures for a view, which is drawn anew when some have come; the number rises with what has. */
export function useThumbs(): [ThumbView, number] {
  const revision = useSyncExternalStore(thumbs.subscribe, thumbs.revision)
  const [view] = useState(() => thumbs.view())
  useEffect(() => view.close, [view])
  return [view, revision]
}

const models = new WeakMap<ProjectState, PlayModel>()

function modelOf(project: ProjectState): PlayModel {
  let model = models.get(project)
  if (!model) {
    model = playModel(project)
    models.set(project, model)
  }
  return model
}

/** Shows and plays what edits would make of a project before they are made: the page is drawn anew for longer than a picture lasts. */
export function playAhead(project: ProjectState, edits: readonly Edit[]): void {
  engine.load(modelOf({ ...project, doc: applyEdits(project.doc, edits).doc }))
}

/** Keeps the engine playing what the project is now: what is changed is heard and seen in pictures before the page is drawn anew. */
export function useLoaded(project: ProjectState): PlayModel {
  const client = useQueryClient()
  const model = modelOf(project)
  useEffect(() => engine.load(model), [model])
  useEffect(() => hearStates(client, project.id, (state) => engine.load(modelOf(state))), [client, project.id])
  return model
}
