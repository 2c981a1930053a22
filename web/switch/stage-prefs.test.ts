import { readPrefs } from './stage-prefs.ts'

test('what was kept of the stage is read, whatever its state', () => {
  expect(readPrefs(null)).toMatchObject({ height: 0.47, programme: null, shown: 'both', hidden: {}, kept: {} })
  expect(readPrefs('{"height":0.6,"programme":0.4,"shown":"angles","hidden":{"p":["a"]}}')).toMatchObject({
    height: 0.6,
    programme: 0.4,
    shown: 'angles',
    hidden: { p: ['a'] },
  })
  expect(readPrefs('{"height":17,"programme":"wide","shown":"all","hidden":3}')).toMatchObject({ height: 0.8, programme: null, shown: 'both', hidden: {} })
  expect(readPrefs('[[[')).toMatchObject({ height: 0.47 })
})

test('lanes show pictures and waveforms unless somebody wanted otherwise', () => {
  expect(readPrefs(null).lanes).toEqual({ pictures: true, waves: true })
  expect(readPrefs('{"lanes":{"waves":false}}').lanes).toEqual({ pictures: true, waves: false })
  expect(readPrefs('{"lanes":3}').lanes).toEqual({ pictures: true, waves: true })
})
