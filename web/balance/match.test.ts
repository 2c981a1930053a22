import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import type { PlayClip } from '../playback/types.ts'
import { lightParts, MOMENTS, sharedMoments } from './match-moments.ts'
import { followEdit } from './seen-as.ts'

const clip = (clipId: string, angleId: string, start: number, end: number, tileUrl: string | null = 'copy') =>
  ({ clipId, angleId, start: flicks(start), end: flicks(end), tileUrl }) as unknown as PlayClip

describe('instants that two angles see', () => {
  const clips = [clip('a1', 'a', 0, 1000), clip('b1', 'b', 800, 1000), clip('a2', 'a', 2000, 3000), clip('b2', 'b', 1900, 2200), clip('b3', 'b', 2900, 4000)]

  test('are spread over all that both see, each with the clips that see it', () => {
    const moments = sharedMoments(clips, 'a', 'b')
    expect(moments).toHaveLength(MOMENTS)
    for (const { time, own, reference } of moments)
      for (const { start, end } of [own, reference]) {
        expect(time).toBeGreaterThanOrEqual(start)
        expect(time).toBeLessThan(end)
      }
    // 200, 200 and 100 of them are seen by both.
    expect(['b1', 'b2', 'b3'].map((id) => moments.filter((m) => m.reference.clipId === id).length)).toEqual([5, 5, 2])
    expect(new Set(moments.map((m) => m.time)).size).toBe(MOMENTS)
  })

  test('are those of a stretch, if one is asked for, and none where there are none or no copy yet', () => {
    const moments = sharedMoments(clips, 'a', 'b', { from: flicks(2100), to: flicks(2150) })
    expect(moments).toHaveLength(MOMENTS)
    expect(moments.every(({ time }) => time >= 2100 && time < 2150)).toBe(true)
    expect(sharedMoments(clips, 'a', 'c')).toEqual([])
    expect(sharedMoments([clips[0], clip('b1', 'b', 0, 1000, null)], 'a', 'b')).toEqual([])
  })
})

describe('parts of the time in which the light is followed', () => {
  const minute = 60 * FLICKS_PER_SECOND
  const clips = [clip('a1', 'a', 0, 21 * minute), clip('b1', 'b', 0, 5 * minute), clip('b2', 'b', 12 * minute, 21 * minute)]

  test('are of equal length and both angles see them; none where they never see the same', () => {
    const parts = lightParts(clips, 'a', 'b')
    expect(parts.length).toBeGreaterThan(5)
    expect(new Set(parts.map(({ from, to }) => Math.round((to - from) / 1000))).size).toBe(1)
    expect(parts.some(({ from }) => from >= 6 * minute && from < 10 * minute)).toBe(false)
    expect(lightParts(clips, 'a', 'c')).toEqual([])
  })

  test('give a look that becomes the next one from the middle of each to that of the next', () => {
    const part = (from: number, to: number, exposure: number) => ({ from: flicks(from), to: flicks(to), look: { exposure } })
    let n = 0
    const angle = { id: 'a', name: 'A', hue: 0, framing: 'fit' as const }
    const edit = followEdit(angle, [part(0, 100, 0), part(100, 200, 1), part(200, 300, 2)], () => `e${n++}`)
    expect(edit.type === 'exceptions' && edit.exceptions.map(({ from, to, look, lookTo }) => [from, to, look?.exposure, lookTo?.exposure])).toEqual([
      [0, 50, 0, undefined],
      [50, 150, 0, 1],
      [150, 250, 1, 2],
      [250, 300, 2, undefined],
    ])
  })
})
