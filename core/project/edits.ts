import { enablePatches, type Patch, setAutoFreeze } from 'immer'
import { type AngleEdit, angleReducers } from './angles.ts'
import { type ClipEdit, clipReducers } from './clips.ts'
import { type CutEdit, cutReducers } from './cut.ts'
import type { Reducers } from './drawer.ts'
import { type MarkEdit, markReducers } from './marks.ts'
import { type MasterEdit, masterReducers } from './master.ts'
import { type MixEdit, mixReducers } from './mix.ts'
import { type PictureEdit, pictureReducers } from './picture.ts'
import { type ProgrammeEdit, programmeReducers } from './programme.ts'
import { type PulseEdit, pulseReducers } from './pulse.ts'
import { applyPatches, Recorder } from './recorder.ts'
import { type SettingsEdit, settingsReducers } from './settings.ts'
import type { ProjectDoc } from './types.ts'

enablePatches()
// Freezing walks all that a record holds at every change.
setAutoFreeze(false)

/** Every change a user or a job can make to a project. One list of them is one transaction and one step of undo. */
export type Edit = SettingsEdit | ClipEdit | MasterEdit | AngleEdit | PulseEdit | MarkEdit | CutEdit | ProgrammeEdit | MixEdit | PictureEdit

export type EditType = Edit['type']

/** All edits there are; each subject has a drawer of its own. */
const REDUCERS: Reducers<Edit> = {
  ...settingsReducers,
  ...clipReducers,
  ...masterReducers,
  ...angleReducers,
  ...pulseReducers,
  ...markReducers,
  ...cutReducers,
  ...programmeReducers,
  ...mixReducers,
  ...pictureReducers,
}

export const EDIT_TYPES = Object.keys(REDUCERS) as readonly EditType[]

export interface EditResult {
  readonly doc: ProjectDoc
  readonly forward: Patch[]
  readonly backward: Patch[]
}

/** Each reducer is under the type of the edits that it takes. */
function change(recorder: Recorder, edit: Edit): void {
  const reduce = REDUCERS[edit.type] as (recorder: Recorder, edit: Edit) => void
  reduce(recorder, edit)
}

/**
 * Applies a list of edits as one step; either all of them or none.
 * @returns the new project with the patches forwards and backwards (both empty when nothing changed)
 * @throws EditError or CutError when one does not fit; the project given stays as it was
 */
export function applyEdits(doc: ProjectDoc, edits: readonly Edit[]): EditResult {
  const recorder = new Recorder(doc)
  for (const edit of edits) change(recorder, edit)
  return { doc: recorder.doc, forward: recorder.forward, backward: recorder.backward }
}

/** Edits between two rests. */
const BETWEEN_RESTS = 25

/**
 * {@link applyEdits} for many edits at once on a thread that others need too.
 * @param rest waits until others had their turn
 */
export async function applyEditsWithRests(doc: ProjectDoc, edits: readonly Edit[], rest: () => Promise<unknown>): Promise<EditResult> {
  const recorder = new Recorder(doc)
  for (const [n, edit] of edits.entries()) {
    if (n > 0 && n % BETWEEN_RESTS === 0) await rest()
    change(recorder, edit)
  }
  return { doc: recorder.doc, forward: recorder.forward, backward: recorder.backward }
}

/** Applies kept patches: undo with the backward ones, redo with the forward ones. */
export function applyKeptPatches(doc: ProjectDoc, patches: readonly Patch[]): ProjectDoc {
  return applyPatches(doc, patches)
}
