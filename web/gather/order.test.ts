import type { GatheredFile } from '@pendolo/api'
import { applyEdits, type Clip, emptyProject } from '@pendolo/core/project'
import { inOrder, type Order, type Row } from './order.ts'
import { sortedInto } from './sorted-into.ts'

const row = (name: string, index: number, over: Partial<GatheredFile['facts']> = {}, rest: Partial<GatheredFile> = {}): Row => ({
  clip: { id: `clip ${name}`, fileId: name, angleId: `angle ${index}`, state: 'in' } as Clip,
  file: {
    id: name,
    name,
    path: `/cards/${index === 0 ? 'left' : 'right'}/${name}`,
    notes: [],
    facts: {
      durationSeconds: 10,
      video: { rate: { num: 25, den: 1 }, width: 640, height: 360 },
      audio: null,
      timecode: null,
      recordedAt: null,
      camera: null,
      ...over,
    },
    ...rest,
  } as GatheredFile,
  angleName: `Angle ${index}`,
  index,
  flags: [],
})
const names = (rows: readonly Row[], order: Order) => inOrder(rows, order).map((r) => r.file.name)

describe('the whole table is sorted', () => {
  const rows = [
    row('C10.mov', 0, { durationSeconds: 5, recordedAt: '2026-05-02T20:00:00Z' }),
    row('C9.mov', 1, { durationSeconds: 30, timecode: '10:00:00:00', recordedAt: '2026-05-02T19:00:00Z' }),
    row('A1.mov', 1, { audio: { channels: 8, streams: 1 } as never }, { notes: [{ code: 'timecode', label: '01:00:00:00', channel: 1 }] }),
  ]

  test('across angles, as people count, both ways', () => {
    expect(names(rows, { by: 'name', down: false })).toEqual(['A1.mov', 'C9.mov', 'C10.mov'])
    expect(names(rows, { by: 'name', down: true })).toEqual(['C10.mov', 'C9.mov', 'A1.mov'])
    expect(names(rows, { by: 'length', down: true })).toEqual(['C9.mov', 'A1.mov', 'C10.mov'])
  })

  test('what has no value stands last, whichever way', () => {
    for (const down of [false, true]) {
      expect(names(rows, { by: 'timecode', down })[0]).toBe('C9.mov')
      expect(names(rows, { by: 'heard', down })[0]).toBe('A1.mov')
      expect(names(rows, { by: 'sound', down })[0]).toBe('A1.mov')
      expect(names(rows, { by: 'recorded', down }).at(-1)).toBe('A1.mov')
    }
  })

  test('by the rate that was set, not the one the file says', () => {
    const set = { ...rows[0], clip: { ...rows[0].clip, rate: '50/1' } }
    expect(names([set, rows[1]], { by: 'rate', down: false })).toEqual(['C9.mov', 'C10.mov'])
  })
})

describe('files are sorted into angles anew', () => {
  const rows = [row('L_01.mov', 0, { camera: 'Lumen' }), row('L_02.mov', 0, { camera: 'Ray' }), row('R_01.mov', 1, { camera: 'Lumen' })]
  const { doc } = applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: [0, 1].map((i) => ({ id: `angle ${i}`, name: `Angle ${i}`, hue: i, framing: 'fit' as const })),
      clips: rows.map((r) => r.clip),
    },
  ])
  const after = (rule: Parameters<typeof sortedInto>[2]) => {
    const plan = sortedInto(doc, rows, rule)
    const done = applyEdits(doc, plan.edits).doc
    const angleOf = (id: string) => done.angles.find((a) => a.id === done.clips[id].angleId)?.name
    return { plan: plan.angles.map((a) => `${a.name}: ${a.files.join(' ')}`), done: rows.map((r) => angleOf(r.clip.id)), angles: done.angles.length }
  }

  test('as was shown before', () => {
    expect(after('camera')).toEqual({
      plan: ['Lumen: L_01.mov R_01.mov', 'Ray: L_02.mov'],
      done: ['Lumen', 'Ray', 'Lumen'],
      angles: 2,
    })
    expect(after('one')).toMatchObject({ done: ['Left', 'Left', 'Left'], angles: 1 })
    expect(sortedInto(doc, rows, 'one').angles[0]).toMatchObject({ id: 'angle 0', fresh: false })
    expect(after('each')).toMatchObject({ angles: 3 })
  })

  test('an angle whose files stay together keeps its name, and nothing is done for it', () => {
    expect(after('folder').plan).toEqual(['Angle 0: L_01.mov L_02.mov', 'Angle 1: R_01.mov'])
    expect(sortedInto(doc, rows, 'folder').edits).toEqual([])
  })

  test('no two angles are called alike', () => {
    const twins = [row('a/L_01.mov', 0), row('b/L_01.mov', 0)].map((r, i) => ({
      ...r,
      clip: rows[i].clip,
      file: { ...r.file, id: rows[i].file.id, name: 'L_01.mov' },
    }))
    const { angles } = sortedInto(doc, twins, 'each')
    expect(new Set(angles.map((a) => a.name)).size).toBe(2)
  })
})
