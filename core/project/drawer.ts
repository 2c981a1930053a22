import type { Recorder } from './recorder.ts'
import type { ProjectDoc } from './types.ts'

/** What each edit of a subject does to a document. */
export type Reducers<E extends { type: string }> = { readonly [K in E['type']]: (recorder: Recorder, edit: Extract<E, { type: K }>) => void }

/** For edits of small parts: the change is made on a draft. */
export function drafted<E>(change: (doc: ProjectDoc, edit: E) => void): (recorder: Recorder, edit: E) => void {
  return (recorder, edit) => recorder.draft((doc) => change(doc, edit))
}
