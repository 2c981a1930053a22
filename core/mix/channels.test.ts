import fc from 'fast-check'
import { CHANNEL_LAYOUTS, type Channel, channelsOf, heardChannels, isChanged, type SoundShape, tracksOf } from './index.ts'

const sides = (sound: SoundShape, said: Record<string, Channel> = {}) =>
  heardChannels(sound, said).map((c) => [c.number, c.left, c.right].map((x) => Math.round(x * 100) / 100))
const stereo = { channels: 2, layout: 'stereo' }
const eight = { channels: 8, layout: '' }

describe('channels as they are found', () => {
  test('what gives nothing as it was found gives all of itself where it is put somewhere', () => {
    const deep = { channels: 3, layout: '2.1' }
    expect(sides(deep)).toEqual([
      [1, 1, 0],
      [2, 0, 1],
    ])
    expect(sides(deep, { '0.2': { layout: 'middle' } })).toContainEqual([3, 1, 1])
  })

  test('mono is heard on both sides, stereo as it is', () => {
    expect(sides({ channels: 1, layout: 'mono' })).toEqual([[1, 1, 1]])
    expect(sides(stereo)).toEqual([
      [1, 1, 0],
      [2, 0, 1],
    ])
  })

  test('surround folds by the standard, without its deep channel', () => {
    expect(sides({ channels: 6, layout: '5.1' })).toEqual([
      [1, 1, 0],
      [2, 0, 1],
      [3, 0.71, 0.71],
      [5, 0.71, 0],
      [6, 0, 0.71],
    ])
  })

  test('microphones of a recorder stand for themselves, all in the middle at equal power', () => {
    const heard = heardChannels(eight, {})
    expect(heard).toHaveLength(8)
    for (const side of ['left', 'right'] as const) expect(heard.reduce((sum, c) => sum + c[side] ** 2, 0)).toBeCloseTo(1)
    expect(channelsOf(eight).every((c) => c.position === 'alone')).toBe(true)
  })

  test('a layout that does not have as many channels as the stream says nothing', () => {
    expect(channelsOf({ channels: 3, layout: '5.1' }).map((c) => c.position)).toEqual(['alone', 'alone', 'alone'])
  })

  test('streams are counted through; only the first is heard until somebody says otherwise', () => {
    const sound = { channels: 2, layout: 'stereo', streamChannels: [2, 1, 4] }
    expect(channelsOf(sound).map((c) => `${c.number}:${c.key}`)).toEqual(['1:0.0', '2:0.1', '3:1.0', '4:2.0', '5:2.1', '6:2.2', '7:2.3'])
    expect(sides(sound).map(([n]) => n)).toEqual([1, 2])
    expect(sides(sound, { '1.0': { on: true } })).toEqual([
      [1, 1, 0],
      [2, 0, 1],
      [3, 1, 1],
    ])
  })
})

describe('what was said of channels', () => {
  test('is put where it was said, at the level it had', () => {
    expect(sides(stereo, { '0.0': { layout: 'middle' }, '0.1': { on: false } })).toEqual([[1, 1, 1]])
    expect(sides(stereo, { '0.0': { layout: 'right' } })[0]).toEqual([1, 0, 1])
    expect(sides(stereo, { '0.1': { turned: true } })[1]).toEqual([2, 0, -1])
  })

  test('the channel after the left one of a pair is its right one', () => {
    const level = Math.round(100 / Math.sqrt(8)) / 100
    expect(sides(eight, { '0.2': { layout: 'pair' }, '0.3': { layout: 'left' } }).slice(2, 4)).toEqual([
      [3, level, 0],
      [4, 0, level],
    ])
  })

  test('a name alone changes nothing that is heard', () => {
    expect(isChanged(eight, { '0.4': { name: 'Kick' } })).toBe(false)
    expect(isChanged(eight, { '0.4': { name: 'Kick', on: false } })).toBe(true)
    expect(isChanged(eight, undefined)).toBe(false)
  })

  test('switching channels leaves the level of the others as it was', () => {
    const shape = fc.record({ channels: fc.integer({ min: 1, max: 64 }), layout: fc.constantFrom('', 'stereo', '5.1', 'quad', '7.1') })
    const layout = fc.option(fc.constantFrom(...CHANNEL_LAYOUTS.filter((l) => l !== 'pair')), { nil: undefined })
    fc.assert(
      fc.property(shape, fc.array(fc.boolean(), { minLength: 64, maxLength: 64 }), layout, (sound, on, where) => {
        const said = (switches: boolean) =>
          Object.fromEntries(channelsOf(sound).map((c, i) => [c.key, { ...(where && { layout: where }), ...(switches && { on: on[i] }) }]))
        const before = new Map(heardChannels(sound, said(false)).map((c) => [c.number, c]))
        const after = heardChannels(sound, said(true))
        for (const c of after) expect(c).toEqual(before.get(c.number))
        expect(after.map((c) => c.number)).toEqual([...before.keys()].filter((n) => on[n - 1]))
      }),
    )
  })
})

test('channels apart lie in tracks of neighbours of one stream, at most eight, each once and in order', () => {
  const widths = (...streamChannels: number[]) => tracksOf(channelsOf({ channels: streamChannels[0], layout: '', streamChannels })).map((t) => t.length)
  expect(widths(64)).toEqual([8, 8, 8, 8, 8, 8, 8, 8])
  expect(widths(18)).toEqual([8, 8, 2])
  expect(widths(2, 1, 9, 1)).toEqual([2, 1, 8, 1, 1])
  expect(tracksOf([])).toEqual([])
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 1, maxLength: 8 }), (streamChannels) => {
      const all = channelsOf({ channels: streamChannels[0], layout: '', streamChannels })
      const tracks = tracksOf(all)
      expect(tracks.flat()).toEqual(all)
      for (const track of tracks) expect(new Set(track.map((c) => c.stream)).size).toBe(1)
    }),
  )
})
