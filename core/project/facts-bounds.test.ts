import { type FileFacts, factsProblem, isId, readFacts, startFrameOf } from './index.ts'

const facts: FileFacts = {
  durationSeconds: 60,
  container: 'mov',
  video: { codec: 'h264', width: 1920, height: 1080, rate: { num: 25, den: 1 }, variableRate: false, startSeconds: 0, frames: 1500, pixelAspect: '1:1' },
  audio: { codec: 'aac', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 },
  timecode: null,
  recordedAt: null,
  camera: null,
}
const video = (change: object): FileFacts => ({ ...facts, video: { ...facts.video, ...change } as FileFacts['video'] })
const audio = (change: object): FileFacts => ({ ...facts, audio: { ...facts.audio, ...change } as FileFacts['audio'] })

describe('facts of files', () => {
  test.each([
    ['an ordinary file', facts],
    ['a day of sound', { ...facts, durationSeconds: 86_400, video: null }],
    ['time lapse of a picture a minute', video({ rate: { num: 1, den: 60 } })],
    ['high speed', video({ rate: { num: 960, den: 1 }, frames: 57_600 })],
    ['an 8K picture', video({ width: 7680, height: 4320 })],
    ['a recorder of 64 channels', audio({ channels: 64 })],
  ])('%s can be worked with', (_, good) => {
    expect(factsProblem(good)).toBeNull()
    expect(readFacts(JSON.stringify(good))).toEqual({ facts: good, problem: null })
  })

  test.each([
    ['a rate below all cameras', video({ rate: { num: 12800, den: 2147483647 } }), /12800\/2147483647 pictures a second/],
    ['a rate of parts that are no numbers', video({ rate: { num: Number.NaN, den: 1 } }), /pictures a second/],
    ['pictures of 16000 × 16000', video({ width: 16000, height: 16000 }), /16000 × 16000.*smaller copy/],
    ['pictures of no size', video({ width: 0 }), /does not say how large/],
    ['half a year', { ...facts, durationSeconds: 194 * 86_400 }, /194 days/],
    ['no length at all', { ...facts, durationSeconds: Number.POSITIVE_INFINITY }, /days/],
    ['sound at one hertz', audio({ sampleRate: 1 }), /1 samples a second/],
    ['65535 channels', audio({ channels: 65535 }), /65535 channels/],
    ['a start beyond time', audio({ startSeconds: 1e12 }), /impossible times/],
  ])('%s is told in words', (_, bad, words) => {
    expect(factsProblem(bad)).toMatch(words)
    if (Number.isFinite(bad.durationSeconds)) expect(readFacts(JSON.stringify(bad)).problem).not.toBeNull()
  })

  test('what is kept but cannot be read says nothing, and that it must be gathered again', () => {
    for (const text of ['', '{', 'null', '[]', '{"durationSeconds":"long"}'])
      expect(readFacts(text)).toMatchObject({ facts: { durationSeconds: 0, video: null, audio: null }, problem: expect.any(String) })
  })
})

test('an id is a short plain text, and no name that every object has', () => {
  for (const good of ['a', 'depot-night', '2f0c7e1a-6d0b-4d2a-9d0e-0123456789ab', 'Mark 1', '電車', 'x'.repeat(64)]) expect(isId(good)).toBe(true)
  for (const bad of ['', 'x'.repeat(65), '__proto__', 'constructor', 'toString', 'valueOf', 'a\nb', 'a\0', 5, null, undefined, {}])
    expect(isId(bad)).toBe(false)
})

test('a timecode that cannot be is none: nothing that shows it breaks', () => {
  const tagged = (timecode: string | null): FileFacts => ({ ...facts, timecode })
  expect(startFrameOf(tagged('00:00:01:05'))).toBe(30)
  for (const bad of ['99:99:99:99', '00:00:00:25', '10:00:00;00:1', 'noon', '', null]) expect(startFrameOf(tagged(bad))).toBe(0)
  expect(startFrameOf({ ...tagged('00:00:01:05'), video: null })).toBe(0)
})
