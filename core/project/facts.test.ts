import { FLICKS_PER_SECOND, flicks } from '../time/index.ts'
import { clipRate, eventRange, type FileFacts, factsOfClip, frameGridOf, paceOf, pictureSpans, STILL_PLACE } from './facts.ts'
import { emptyProject, type ProjectDoc } from './types.ts'

const seconds = (s: number) => flicks(s * FLICKS_PER_SECOND)
const facts: FileFacts = {
  durationSeconds: 10,
  container: 'mov',
  video: { codec: 'h264', width: 640, height: 360, rate: { num: 50, den: 1 }, variableRate: false, startSeconds: 0, frames: 500, pixelAspect: '1:1' },
  audio: null,
  timecode: null,
  recordedAt: null,
  camera: null,
}
const still: FileFacts = { ...facts, durationSeconds: 0, video: { ...(facts.video as NonNullable<FileFacts['video']>), frames: 1, still: true } }

function project(rate?: string): ProjectDoc {
  const doc = emptyProject('cut')
  doc.clips.c = { id: 'c', fileId: 'f', angleId: 'a', state: 'in', ...(rate && { rate }) }
  doc.placements.c = { ...STILL_PLACE, start: seconds(3), locked: false }
  return doc
}

describe('a clip whose rate was set', () => {
  test('has its pictures at that rate from the first one on', () => {
    const used = factsOfClip(facts, { rate: '25/1' })
    expect(clipRate({ rate: '25/1' }, facts)).toEqual({ num: 25, den: 1 })
    expect(frameGridOf(used)).toMatchObject({ rate: { num: 25, den: 1 }, count: 500 })
    expect(paceOf(used)).toBe(0.5)
    expect(pictureSpans(project('25/1'), () => facts)[0]).toMatchObject({ start: seconds(3), end: seconds(23) })
    expect(eventRange(project('25/1'), () => facts).end).toBe(seconds(23))
  })

  test('keeps its sound: it ends no earlier than that', () => {
    const audio = { sampleRate: 48000 } as NonNullable<FileFacts['audio']>
    expect(eventRange(project('100/1'), () => ({ ...facts, audio })).end).toBe(seconds(13))
    expect(eventRange(project('100/1'), () => facts).end).toBe(seconds(8))
  })

  test('is as its file says without', () => {
    expect(factsOfClip(facts, {})).toBe(facts)
    expect(paceOf(facts)).toBe(1)
    expect(pictureSpans(project(), () => facts)[0]).toMatchObject({ end: seconds(13) })
  })
})

test('a still has a picture wherever something was recorded, and makes the event no longer', () => {
  const doc = project()
  doc.placements.c = { ...STILL_PLACE }
  const [span] = pictureSpans(doc, () => still)
  expect(span.start).toBeLessThan(seconds(-86_400))
  expect(span.end).toBeGreaterThan(seconds(86_400))
  expect(eventRange(doc, () => still)).toEqual({ start: 0, end: 0 })
  expect(factsOfClip(still, { rate: '25/1' })).toBe(still)
  expect(paceOf(still)).toBe(0)
})
