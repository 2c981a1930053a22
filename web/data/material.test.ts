import type { ProjectState } from '@pendolo/api'
import { applyEdits, type Edit, emptyProject } from '@pendolo/core/project'
import { flicks } from '@pendolo/core/time'
import { sameMaterial } from './material.ts'

const state = (...edits: Edit[]) => ({
  id: 'p',
  files: FILES,
  doc: applyEdits(BEFORE, edits).doc,
})
const FILES: readonly unknown[] = []
const BEFORE = applyEdits(emptyProject('cut'), [
  { type: 'addClips', angles: [{ id: 'a', name: 'Gantry', hue: 0, framing: 'fit' }], clips: [{ id: 'c', fileId: 'f', angleId: 'a', state: 'in' }] },
]).doc
const same = (a: object, b: object) => sameMaterial(a as ProjectState, b as ProjectState)

test('a cut and a mark leave the material the same; a name, a place, a rule, a file and another project do not', () => {
  const before = state()
  expect(same(before, state({ type: 'choose', cutId: 'cut', time: flicks(0), choice: { angleId: 'a' } }))).toBe(true)
  expect(same(before, state({ type: 'addMarks', marks: [{ id: 'm', time: flicks(0), kind: 'cue', name: 'Ring', hue: 0 }] }))).toBe(true)
  expect(same(before, state({ type: 'renameAngle', angleId: 'a', name: 'Roof' }))).toBe(false)
  expect(same(before, state({ type: 'settings', change: { standIn: 'black' } }))).toBe(false)
  expect(same(before, { ...before, files: [] })).toBe(false)
  expect(same(before, { ...before, id: 'q' })).toBe(false)
})
