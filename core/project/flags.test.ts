import type { FileFacts } from './facts.ts'
import { flagsOf } from './flags.ts'

const PAL = { num: 25, den: 1 }
const video = { rate: PAL, variableRate: false } as NonNullable<FileFacts['video']>
const audio = { streams: 1 } as NonNullable<FileFacts['audio']>
const facts = (over: Partial<FileFacts>): FileFacts => ({ video, audio, ...over }) as FileFacts

test('a usual camera has nothing to be told', () => {
  expect(flagsOf(facts({}), PAL)).toEqual([])
  expect(flagsOf(facts({ video: null }), PAL)).toEqual(['sound-only'])
})

test('what needs a look is told', () => {
  expect(flagsOf(facts({ video: { ...video, rate: { num: 30000, den: 1001 } } }), PAL)).toEqual(['other-rate'])
  expect(flagsOf(facts({ video: { ...video, fields: 'top', wide: 'hlg', variableRate: true } }), PAL)).toEqual(['variable-rate', 'fields', 'wide-range'])
  expect(flagsOf(facts({ audio: { ...audio, streams: 2 } }), PAL)).toEqual(['streams'])
})

test('fast and silent is likely off-speed; once it has a place that says whether it was', () => {
  const fast = facts({ video: { ...video, rate: { num: 100, den: 1 } }, audio: null })
  expect(flagsOf(fast, PAL)).toEqual(['other-rate', 'off-speed', 'no-sound'])
  expect(flagsOf(fast, PAL, 1)).not.toContain('off-speed')
  expect(flagsOf(facts({}), PAL, 1.0417)).toEqual(['off-speed'])
})

test('a still has no rate to differ and no sound to miss', () => {
  expect(flagsOf(facts({ video: { ...video, rate: { num: 1, den: 1 }, still: true }, audio: null }), PAL, 1)).toEqual(['still'])
})
