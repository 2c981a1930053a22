import { type Flicks, frameStart, type Rate } from '../time/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import type { ProjectDoc, Settings } from './types.ts'

export type SettingsEdit = { type: 'settings'; change: Partial<Settings> }

export const settingsReducers: Reducers<SettingsEdit> = {
  settings: drafted((doc, { change }) => {
    Object.assign(doc.settings, change)
  }),
}

/** The project's frame rate as a rational. */
export function projectRate(settings: Settings): Rate {
  const [num, den] = settings.rate.split('/').map(Number)
  return { num, den }
}

/** Length of one of the project's frames. */
export function oneFrame(doc: ProjectDoc): Flicks {
  return frameStart(1, projectRate(doc.settings))
}
