import { soundText } from './sound.ts'

test('a film says how loud it is, and what was done for it', () => {
  expect(soundText({ integrated: -19.94, range: 6, truePeak: -3.21, gainDb: 0, limitedDb: 0 })).toBe('−19.9 LUFS · range 6.0 LU · peak −3.2 dBTP')
  expect(soundText({ integrated: -16, range: 5.5, truePeak: -1.5, gainDb: 7.2, limitedDb: 3.04 })).toBe(
    '−16.0 LUFS · range 5.5 LU · peak −1.5 dBTP · raised by 7.2 dB · loudest moments by 3.0 dB less',
  )
  expect(soundText({ integrated: -23, range: 5.5, truePeak: -9, gainDb: -4, limitedDb: 0.02 })).toContain('lowered by 4.0 dB')
  expect(soundText({ integrated: null, range: 0, truePeak: null, gainDb: 0, limitedDb: 0 })).toBe('nothing is heard')
})
