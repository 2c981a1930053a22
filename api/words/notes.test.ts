import { type FileFacts, notesFor } from '@pendolo/core/project'
import { noteText } from './notes.ts'

const video = { codec: 'h264', width: 1920, height: 1080, rate: { num: 25, den: 1 }, variableRate: false, startSeconds: 0, frames: 100, pixelAspect: '1:1' }
const audio = { codec: 'aac', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 }
const facts = (over: Partial<FileFacts>): FileFacts => ({
  durationSeconds: 4,
  container: 'mov',
  video,
  audio,
  timecode: null,
  recordedAt: null,
  camera: null,
  ...over,
})
const words = (over: Partial<FileFacts>) => notesFor(facts(over)).map(noteText)

test('a usual file needs no words, an odd one says what is odd and what is done about it', () => {
  expect(words({})).toEqual([])
  expect(words({ video: { ...video, variableRate: true, rate: { num: 30000, den: 1001 } } })).toEqual([
    'variable rate, about 29.97: each picture keeps its own time',
  ])
  expect(words({ video: { ...video, fields: 'top' } })).toEqual(['two fields a picture (interlaced): whole pictures are made of them'])
  expect(words({ video: { ...video, wide: 'hlg' } })).toEqual(['wide range (HLG): brought into the film’s range'])
  expect(words({ audio: null })).toEqual(['no sound: light or timecode place it, or you do'])
  expect(words({ video: { ...video, width: 1440, pixelAspect: '4:3' } })).toEqual([
    'pixels 4:3: shown at 1440 × 1080',
    'other shape: fitted, or fill it in Balance',
  ])
  expect(words({ audio: { ...audio, channels: 8 } })).toEqual(['8 channels: each by itself in Balance'])
})

test('what hearing it added, and what was kept before, has words too', () => {
  expect(noteText({ code: 'silent' })).toBe('the sound is silence')
  expect(noteText({ code: 'empty-channel', side: 'left' })).toBe('the left channel is empty')
  expect(noteText({ code: 'timecode', label: '10:00:00:00', channel: 2 })).toBe('timecode 10:00:00:00 as sound on channel 2')
  expect(noteText({ code: 'words', text: 'as it was' })).toBe('as it was')
})
