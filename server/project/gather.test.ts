import { mkdirSync, renameSync, symlinkSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { applyEdits, emptyProject, type FileFacts } from '@pendolo/core/project'
import { makeMedia, PICTURE, showFolder, TONE, testConfig, testWorkshop } from '../testing.ts'
import { findMedia, gather, sort } from './gather.ts'
import { allowedPath, listFolder } from './roots.ts'

const config = testConfig()
const show = showFolder(config)

const facts = (over: Partial<FileFacts> = {}): FileFacts => ({
  durationSeconds: 60,
  container: 'mov',
  video: { codec: 'h264', width: 1920, height: 1080, rate: { num: 25, den: 1 }, variableRate: false, startSeconds: 0, frames: 1500, pixelAspect: '1:1' },
  audio: { codec: 'aac', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 },
  timecode: null,
  recordedAt: null,
  camera: null,
  ...over,
})
const row = (name: string, folder: string | null, over: Partial<FileFacts> = {}) => ({ id: name, name, folder, facts: facts(over) })
const sorted = (rows: ReturnType<typeof row>[]) => {
  const { doc } = applyEdits(emptyProject('cut'), sort(emptyProject('cut'), rows).edits)
  const files = (angleId: string) =>
    Object.values(doc.clips)
      .filter((c) => c.angleId === angleId)
      .map((c) => c.fileId)
  return { doc, angles: doc.angles.map((a) => `${a.name}: ${files(a.id).join(' ')}`) }
}

describe('one camera, one angle', () => {
  test('files of a folder are one angle, named by it', () => {
    expect(sorted([row('SB_01.mp4', 'signal-box'), row('SB_02.mp4', 'signal-box'), row('x.mov', 'gantry')]).angles).toEqual([
      'Signal box: SB_01.mp4 SB_02.mp4',
      'Gantry: x.mov',
    ])
  })

  test('loose files are told apart by camera, else by their names', () => {
    expect(
      sorted([row('C0001.mp4', null, { camera: 'Left' }), row('C0002.mp4', null, { camera: 'Right' }), row('C0003.mp4', null, { camera: 'Left' })]).angles,
    ).toEqual(['Left: C0001.mp4 C0003.mp4', 'Right: C0002.mp4'])
    expect(sorted([row('GX_0042.mp4', null), row('GX_0043.mp4', null), row('tripod 1.mp4', null)]).angles).toEqual([
      'GX: GX_0042.mp4 GX_0043.mp4',
      'Tripod: tripod 1.mp4',
    ])
  })

  test('more files of a camera’s folder join its angle, however it is called by then', () => {
    const at = (name: string) => ({ ...row(name, 'cam'), place: '/night/cam' })
    const first = applyEdits(emptyProject('cut'), sort(emptyProject('cut'), [at('M_01.mov'), row('mix.wav', 'desk', { video: null })]).edits).doc
    const renamed = applyEdits(first, [{ type: 'renameAngle', angleId: first.angles[0].id, name: 'Balcony' }]).doc
    const before = [{ ...row('M_01.mov', 'cam'), path: '/night/cam/DCIM/M_01.mov' }] as never
    const second = applyEdits(renamed, sort(renamed, [at('M_02.mov'), row('M_03.mov', 'other')], false, before).edits).doc
    const angleOf = (name: string) => second.angles.find((a) => a.id === Object.values(second.clips).find((c) => c.fileId === name)?.angleId)?.name
    expect(['M_01.mov', 'M_02.mov', 'M_03.mov'].map(angleOf)).toEqual(['Balcony', 'Balcony', 'Other'])
  })

  test('the desk mix becomes the master and no angle; rate and raster follow most of the material', () => {
    const { doc, angles } = sorted([
      row('mix.wav', 'desk', { video: null }),
      row('rec.wav', 'recorder', { video: null, durationSeconds: 500 }),
      row('a.mov', 'cam'),
    ])
    expect(doc.clips[doc.master.clipIds[0]].fileId).toBe('mix.wav')
    expect(angles).toEqual(['Cam: a.mov', 'Recorder: rec.wav'])
    expect(doc.settings).toMatchObject({ rate: '25/1', width: 1920, height: 1080 })
  })

  test('where nothing was heard at all, the camera that ran longest keeps the time and stays an angle', () => {
    const { doc, angles } = sorted([row('a.mov', 'left', { audio: null }), row('b.mov', 'right', { audio: null, durationSeconds: 90 })])
    expect(doc.clips[doc.master.clipIds[0]].fileId).toBe('b.mov')
    expect(angles).toEqual(['Left: a.mov', 'Right: b.mov'])
  })

  test('stills come after the cameras, stand around the whole event, and are never the master', () => {
    const still = { durationSeconds: 0, audio: null, video: { ...(facts().video as NonNullable<FileFacts['video']>), still: true as const, frames: 1 } }
    const { doc, angles } = sorted([row('hall.png', 'art', still), row('plan.jpg', 'art', still), row('a.mov', 'left', { audio: null })])
    expect(angles).toEqual(['Left: a.mov', 'Art: hall.png plan.jpg'])
    const clip = Object.values(doc.clips).find((c) => c.fileId === 'hall.png')
    expect(doc.placements[clip?.id ?? '']).toMatchObject({ verdict: 'sure', locked: true, why: [{ code: 'still' }] })
    expect(doc.clips[doc.master.clipIds[0]].fileId).toBe('a.mov')
    expect(sorted([row('hall.png', 'art', still)]).doc.master.clipIds).toEqual([])
  })

  test('drop-frame counting is proposed where the material counts so', () => {
    const ntsc = { video: { ...(facts().video as NonNullable<FileFacts['video']>), rate: { num: 30000, den: 1001 } } }
    expect(sorted([row('a.mov', 'l', { ...ntsc, timecode: '10:00:00;00' })]).doc.settings).toMatchObject({ rate: '30000/1001', dropFrame: true })
    expect(sorted([row('a.mov', 'l', { ...ntsc, timecode: '10:00:00:00' })]).doc.settings).toMatchObject({ dropFrame: false })
  })

  test('a recording that comes after the cameras takes the place of a camera as master', () => {
    const first = applyEdits(emptyProject('cut'), sort(emptyProject('cut'), [row('a.mov', 'cam')]).edits).doc
    const second = applyEdits(first, sort(first, [row('mix.wav', 'desk', { video: null })], true).edits).doc
    expect(second.clips[second.master.clipIds[0]].fileId).toBe('mix.wav')
  })
})

describe('reading folders', () => {
  beforeAll(() => {
    makeMedia(path.join(show, 'night/cam-a/DCIM/100/x.mp4'), [...PICTURE, '-c:v', 'libx264'])
    makeMedia(path.join(show, 'night/desk/mix.wav'), TONE)
    writeFileSync(path.join(show, 'night/notes.txt'), 'no media')
    writeFileSync(path.join(show, 'night/broken.mp4'), 'no film')
    mkdirSync(path.join(config.home), { recursive: true })
    writeFileSync(path.join(config.home, '..', 'outside.wav'), 'x')
    symlinkSync(path.join(config.home, '..'), path.join(show, 'way-out'))
  })

  test('folders that cameras make by themselves name no camera', async () => {
    const found = await findMedia(config, [path.join(show, 'night')])
    expect(found.map((f) => [path.basename(f.path), f.folder])).toEqual([
      ['broken.mp4', null],
      ['x.mp4', 'cam-a'],
      ['mix.wav', 'desk'],
    ])
    expect((await findMedia(config, [path.join(show, 'night/cam-a')]))[0].folder).toBe('cam-a')
  })

  test('nothing outside the allowed roots is read, by whatever name', async () => {
    for (const name of [path.join(show, '..'), path.join(show, '../outside.wav'), path.join(show, 'way-out/outside.wav'), '/etc/passwd', `${show}\0x`]) {
      await expect(allowedPath(config, name)).rejects.toMatchObject({ code: 'path' })
    }
    await expect(allowedPath(config, path.join(show, 'night'))).resolves.toBe(path.join(show, 'night'))
  })

  test('a listing shows folders with their media and no way up out of the root', async () => {
    const listing = await listFolder(config, show)
    expect(listing.parent).toBeNull()
    expect(listing.entries.find((e) => e.name === 'night')).toMatchObject({ kind: 'folder', mediaCount: 2 })
    expect((await listFolder(config, path.join(show, 'night'))).entries.map((e) => e.name)).toEqual(['cam-a', 'desk', 'broken.mp4'])
  })

  test('what is no recording is listed with the reason; content decides where the ending says nothing', async () => {
    makeMedia(path.join(show, 'odd/one/x.mp4'), [...PICTURE, '-c:v', 'libx264'])
    renameSync(path.join(show, 'odd/one/x.mp4'), path.join(show, 'odd/one/VIDEO.TAKE'))
    makeMedia(path.join(show, 'odd/disc/VTS_01_1.VOB'), [...PICTURE, '-c:v', 'mpeg2video', '-f', 'vob'])
    for (const name of ['one/VIDEO.THM', 'disc/VTS_01_0.IFO', 'notes.txt', 'one/unknown.xyz']) writeFileSync(path.join(show, 'odd', name), 'words')
    const shop = await testWorkshop(config)
    try {
      const id = await shop.store.create('Odd')
      const report = await gather(shop, id, [path.join(show, 'odd')])
      expect(report).toMatchObject({ added: 2, refused: [] })
      expect((await shop.store.files(id)).map((f) => f.name).sort()).toEqual(['VIDEO.TAKE', 'VTS_01_1.VOB'])
      expect([...report.leftOut].sort((a, b) => a.name.localeCompare(b.name))).toEqual([
        { name: 'disc/VTS_01_0.IFO', why: '.ifo files hold no recordings' },
        { name: 'notes.txt', why: '.txt files hold no recordings' },
        { name: 'one/VIDEO.THM', why: '.thm files hold no recordings' },
        { name: 'unknown.xyz', why: 'holds no picture or sound that can be read' },
      ])
    } finally {
      await shop.close()
    }
  })

  test('what can be used is added in one step, what cannot is named with the reason', async () => {
    const shop = await testWorkshop(config)
    try {
      const id = await shop.store.create('Night')
      const report = await gather(shop, id, [path.join(show, 'night')])
      expect(report).toMatchObject({ added: 2, known: [], refused: [{ name: 'broken.mp4' }] })
      expect(report.refused[0].why).not.toBe('')
      expect((await gather(shop, id, [path.join(show, 'night')])).known.sort()).toEqual(['mix.wav', 'x.mp4'])
      expect(await shop.store.step(id, 'undo')).toBe('add 2 files')
      expect(Object.keys((await shop.store.doc(id)).clips)).toEqual([])
    } finally {
      await shop.close()
    }
  })
})
