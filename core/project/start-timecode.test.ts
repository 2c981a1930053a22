import { FLICKS_PER_SECOND, flicks, type Rate } from '../time/index.ts'
import type { FileFacts } from './facts.ts'
import type { Note } from './notes.ts'
import { timecodeProposals } from './start-timecode.ts'
import { emptyProject, type Placement, type ProjectDoc } from './types.ts'

const clip = (id: string, facts: Partial<FileFacts>, notes: Note[] = []) => ({ id, name: `${id}.mov`, facts: facts as FileFacts, notes })
const video = (rate: Rate, startSeconds = 0) => ({ rate, startSeconds }) as NonNullable<FileFacts['video']>
const NTSC = { num: 30000, den: 1001 }

function project(rate: string, starts: Record<string, number>): ProjectDoc {
  const doc = emptyProject('cut')
  doc.settings.rate = rate
  for (const [id, seconds] of Object.entries(starts)) {
    doc.clips[id] = { id, fileId: id, angleId: 'a', state: 'in' }
    doc.placements[id] = { start: flicks(seconds * FLICKS_PER_SECOND), rate: 1 } as Placement
  }
  return doc
}

test('what cameras say of the master’s beginning; what most agree on first', () => {
  const doc = project('25/1', { a: 10, b: -4, c: 0 })
  const pal = { num: 25, den: 1 }
  const files = [
    clip('c', { video: video(pal), timecode: '11:00:00:00' }),
    clip('a', { video: video(pal), timecode: '10:00:10:05' }),
    clip('b', { video: video(pal), timecode: '09:59:56:05' }),
  ]
  expect(timecodeProposals(doc, files)).toEqual([
    { label: '10:00:00:05', dropFrame: false, names: ['a.mov', 'b.mov'] },
    { label: '11:00:00:00', dropFrame: false, names: ['c.mov'] },
  ])
})

test('drop-frame counting is taken along where the project can count so', () => {
  const files = [clip('a', { video: video(NTSC), timecode: '01:00:00;00' })]
  expect(timecodeProposals(project('30000/1001', { a: 0 }), files)).toEqual([{ label: '01:00:00;00', dropFrame: true, names: ['a.mov'] }])
  expect(timecodeProposals(project('25/1', { a: 0 }), files)[0]).toMatchObject({ label: '01:00:00:00', dropFrame: false })
})

test('what was heard as sound counts more than a tag; a recorder tells its samples since midnight', () => {
  const heard: Note = { code: 'timecode', label: '20:15:00:00', channel: 2 }
  const files = [
    clip('a', { video: video({ num: 25, den: 1 }), timecode: '00:00:00:00' }, [heard]),
    clip('b', { video: null, audio: { sampleRate: 48000, startSeconds: 0 } as FileFacts['audio'], timecode: null, timeReference: 48000 * 72_900 }),
  ]
  expect(timecodeProposals(project('25/1', { a: 0, b: 0 }), files)).toEqual([{ label: '20:15:00:00', dropFrame: false, names: ['a.mov', 'b.mov'] }])
})

test('midnight lies between, labels that cannot be are passed over, and so is what has no place', () => {
  const pal = { num: 25, den: 1 }
  const doc = project('25/1', { a: 20, b: 0 })
  const files = [
    clip('a', { video: video(pal), timecode: '00:00:05:00' }),
    clip('b', { video: video(pal), timecode: '00:00:05:31', audio: null }),
    clip('gone', { video: video(pal), timecode: '05:00:00:00' }),
  ]
  expect(timecodeProposals(doc, files).map((p) => p.label)).toEqual(['23:59:45:00'])
})
