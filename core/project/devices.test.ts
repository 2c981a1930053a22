import fc from 'fast-check'
import { type DeviceRule, devicesOf, type Gathered } from './devices.ts'

const video = { width: 1920 } as NonNullable<Gathered['facts']['video']>
const file = (name: string, folder: string | null, over: Partial<Gathered['facts']> = {}): Gathered => ({
  id: name,
  name,
  folder,
  facts: { video: /\.(wav|mp3)$/.test(name) ? null : video, camera: null, recordedAt: null, durationSeconds: 600, ...over },
})
const told = (files: Gathered[]) => devicesOf(files).map((d) => `${d.name}: ${d.fileIds.join(' ')}`)
const at = (minute: number) => new Date(Date.UTC(2026, 10, 27, 20, minute)).toISOString()

describe('a folder is one camera', () => {
  test('as long as nothing speaks for several', () => {
    expect(told([file('SB_01.mp4', 'signal-box'), file('SB_02.mp4', 'signal-box'), file('x.mov', 'gantry'), file('y.mov', 'gantry')])).toEqual([
      'Signal box: SB_01.mp4 SB_02.mp4',
      'Gantry: x.mov y.mov',
    ])
  })

  test('cards of one camera go on counting, days too', () => {
    expect(told([file('A001_C001.mov', 'dolly'), file('A001_C002.mov', 'dolly'), file('A002_C001.mov', 'dolly')])).toHaveLength(1)
    expect(told([file('20261127_2001.mp4', 'phone'), file('20261128_0012.mp4', 'phone')])).toHaveLength(1)
  })

  test('whatever somebody wrote behind the number', () => {
    expect(told([file('VID_0041.mp4', 'handheld'), file('VID_0044_fast.mp4', 'handheld'), file('VID_0041 (1).mp4', 'handheld')])).toHaveLength(1)
  })

  test('a file without a number belongs to the rest of its folder', () => {
    expect(told([file('D_0001.mov', 'roof'), file('intro.mov', 'roof'), file('D_0002.mov', 'roof')])).toEqual(['Roof: D_0001.mov D_0002.mov intro.mov'])
  })
})

describe('several cameras in one folder are told apart', () => {
  test('by what they call themselves, whatever their files are called', () => {
    const files = ['1', '2', '3', '4'].map((n) => file(`C000${n}.mp4`, 'night', { camera: Number(n) % 2 ? 'Left' : 'Right' }))
    expect(told(files)).toEqual(['Left: C0001.mp4 C0003.mp4', 'Right: C0002.mp4 C0004.mp4'])
  })

  test('by the pattern of their names; what says nothing goes with what is named like it', () => {
    expect(
      told([file('C0001.mp4', 'night', { camera: 'Left' }), file('C0002.mp4', 'night'), file('MV_0001.mov', 'night'), file('MV_0002.mov', 'night')]),
    ).toEqual(['Left: C0001.mp4 C0002.mp4', 'MV: MV_0001.mov MV_0002.mov'])
  })

  test('by the camera’s number in their names', () => {
    expect(told([file('cam1_001.mp4', 'night'), file('cam2_001.mp4', 'night'), file('cam1_002.mp4', 'night')])).toEqual([
      'Cam1: cam1_001.mp4 cam1_002.mp4',
      'Cam2: cam2_001.mp4',
    ])
  })

  test('by their names, also where all count alike', () => {
    expect(told([file('cam7_0001.mp4', 'night'), file('cam8_0001.mp4', 'night')])).toHaveLength(2)
    expect(told([file('camA_0001.mp4', 'night'), file('camB_0001.mp4', 'night')])).toHaveLength(2)
  })

  test('single pictures are an angle of their own, whatever they are called', () => {
    const still = { video: { ...video, still: true as const } }
    expect(told([file('C0001.mp4', 'night'), file('C0002.jpg', 'night', still), file('plan.png', 'night', still)])).toEqual([
      'Night: C0001.mp4',
      'Stills: C0002.jpg plan.png',
    ])
  })

  test('sound beside pictures is a recorder', () => {
    expect(told([file('C0001.mp4', 'night'), file('C0002.mp4', 'night'), file('REC_01.wav', 'night')])).toEqual(['C: C0001.mp4 C0002.mp4', 'REC: REC_01.wav'])
  })

  test('by recordings that overlap', () => {
    const files = [
      file('M_01.mp4', 'night', { recordedAt: at(0) }),
      file('M_02.mp4', 'night', { recordedAt: at(3) }),
      file('M_03.mp4', 'night', { recordedAt: at(11) }),
      file('M_04.mp4', 'night', { recordedAt: at(14) }),
    ]
    expect(told(files)).toEqual(['Night: M_01.mp4 M_03.mp4', 'Night 2: M_02.mp4 M_04.mp4'])
  })

  test('but not by times that only a conversion can have', () => {
    expect(told([0, 1, 2, 3].map((n) => file(`M_0${n}.mp4`, 'night', { recordedAt: at(n) })))).toHaveLength(1)
  })
})

describe('a recording in parts', () => {
  test('is one camera’s though its parts are named differently', () => {
    expect(told([file('KAPA0042.mp4', 'helmet'), file('KB010042.mp4', 'helmet'), file('KB020042.mp4', 'helmet'), file('KAPA0043.mp4', 'helmet')])).toEqual([
      'Helmet: KAPA0042.mp4 KAPA0043.mp4 KB010042.mp4 KB020042.mp4',
    ])
  })

  test('is not joined with another that ran at the same time', () => {
    const both = [file('KAPA0042.mp4', 'x', { recordedAt: at(0) }), file('KB010042.mp4', 'x', { recordedAt: at(2) })]
    expect(told(both)).toHaveLength(2)
  })
})

test('loose files are told apart by camera, else by their names', () => {
  expect(told([file('C0001.mp4', null, { camera: 'Left' }), file('C0002.mp4', null, { camera: 'Right' })])).toEqual(['Left: C0001.mp4', 'Right: C0002.mp4'])
  expect(told([file('GX_0042.mp4', null), file('GX_0043.mp4', null), file('tripod 1.mp4', null), file('tall.mp4', null)])).toEqual([
    'GX: GX_0042.mp4 GX_0043.mp4',
    'Tripod: tripod 1.mp4',
    'Tall: tall.mp4',
  ])
})

test('one rule alone divides them, or nothing does', () => {
  const files = [
    file('L_01.mp4', 'night', { camera: 'Left', recordedAt: at(0) }),
    file('L_02.mp4', 'night', { camera: 'Right', recordedAt: at(5) }),
    file('R_01.mp4', 'day', { camera: 'Left', recordedAt: at(20) }),
  ]
  const by = (rule: DeviceRule) => devicesOf(files, rule).map((d) => `${d.name}: ${d.fileIds.join(' ')}`)
  expect(by('folder')).toEqual(['Night: L_01.mp4 L_02.mp4', 'Day: R_01.mp4'])
  expect(by('camera')).toEqual(['Left: L_01.mp4 R_01.mp4', 'Right: L_02.mp4'])
  expect(by('names')).toEqual(['Left: L_01.mp4 L_02.mp4', 'Left: R_01.mp4'])
  expect(by('times').map((d) => d.replace(/^.*: /, ''))).toEqual(['L_01.mp4 R_01.mp4', 'L_02.mp4'])
  expect(by('one')).toEqual(['Night: L_01.mp4 L_02.mp4 R_01.mp4'])
  expect(by('each')).toEqual(['L 01: L_01.mp4', 'L 02: L_02.mp4', 'R 01: R_01.mp4'])
})

test('every file is made by one device, whatever it is called', () => {
  const one = fc.record({
    name: fc.stringMatching(/^[A-C_ ]{0,3}\d{0,5}[a-c]?\d{0,4}\.(mp4|wav)$/),
    folder: fc.constantFrom(null, 'a', 'b'),
    camera: fc.constantFrom(null, 'x', 'y'),
    minute: fc.option(fc.integer({ min: 0, max: 59 }), { nil: null }),
  })
  fc.assert(
    fc.property(fc.array(one, { maxLength: 14 }), (list) => {
      const files = list.map(({ name, folder, camera, minute }, i) => ({
        ...file(name, folder, { camera, recordedAt: minute === null ? null : at(minute) }),
        id: String(i),
      }))
      const devices = devicesOf(files)
      expect(devices.flatMap((d) => d.fileIds).sort()).toEqual(files.map((f) => f.id).sort())
      for (const d of devices) {
        expect(d.name).not.toBe('')
        expect(new Set(d.fileIds.map((id) => files[Number(id)].folder)).size).toBe(1)
      }
    }),
  )
})
