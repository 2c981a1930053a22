import { type Clip, emptyProject, type ProjectDoc } from '@pendolo/core/project'
import { takeNames, takesNamed } from './take.tsx'

function project(takes: Record<string, string | undefined>): ProjectDoc {
  const doc = emptyProject('cut')
  for (const [id, take] of Object.entries(takes)) doc.clips[id] = { id, fileId: id, angleId: 'a', state: 'in', ...(take && { take }) } as Clip
  return doc
}
const doc = project({ a: 'Take 2', b: 'Take 2', c: 'Take 10', d: undefined })

test('takes are listed as people count', () => {
  expect(takeNames(doc)).toEqual(['Take 2', 'Take 10'])
})

test('a new name is the whole take’s; that of another take moves the clip; nothing takes it out', () => {
  expect(takesNamed(doc, doc.clips.a, 'By the gate')).toEqual({ a: 'By the gate', b: 'By the gate' })
  expect(takesNamed(doc, doc.clips.a, 'Take 10')).toEqual({ a: 'Take 10' })
  expect(takesNamed(doc, doc.clips.a, ' ')).toEqual({ a: null })
  expect(takesNamed(doc, doc.clips.d, 'Take 3')).toEqual({ d: 'Take 3' })
  expect(takesNamed(doc, doc.clips.a, 'Take 2 ')).toEqual({})
})
