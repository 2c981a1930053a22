import { appendFileSync, copyFileSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { makeMedia, showFolder, testConfig } from '../testing.ts'
import { probe } from './probe.ts'
import { trackNames } from './track-names.ts'

const config = testConfig()
const folder = showFolder(config)

/** Three channels of a second. */
const plain = () =>
  makeMedia(path.join(folder, 'plain.wav'), ['-f', 'lavfi', '-i', "aevalsrc='0.1*sin(400*t)|0.1*sin(700*t)|0.1*sin(900*t)':s=48000:d=1", '-c:a', 'pcm_s24le'])

/** The same with a chunk behind its sound, as recorders write them when they stop. */
function withChunk(name: string, id: string, content: string | Buffer): string {
  const file = path.join(folder, name)
  copyFileSync(plain(), file)
  const bytes = Buffer.from(content)
  const head = Buffer.alloc(8)
  head.write(id, 'latin1')
  head.writeUInt32LE(bytes.length, 4)
  appendFileSync(file, Buffer.concat([head, bytes, Buffer.alloc(bytes.length % 2)]))
  const all = readFileSync(file)
  all.writeUInt32LE(all.length - 8, 4)
  writeFileSync(file, all)
  return file
}
const ixml = (tracks: string) =>
  `<?xml version="1.0" encoding="UTF-8"?><BWFXML><IXML_VERSION>1.5</IXML_VERSION><TRACK_LIST><TRACK_COUNT>3</TRACK_COUNT>${tracks}</TRACK_LIST></BWFXML>`
const track = (interleave: number, name: string, input = interleave) =>
  `<TRACK><CHANNEL_INDEX>${input}</CHANNEL_INDEX><INTERLEAVE_INDEX>${interleave}</INTERLEAVE_INDEX><NAME>${name}</NAME></TRACK>`

describe('names of tracks', () => {
  test('come from iXML, by where each lies in the file and not by its input', async () => {
    const file = withChunk('ixml.wav', 'iXML', ixml(track(2, 'Lapel', 7) + track(1, ' Lectern ', 3)))
    expect(await trackNames(file, 3)).toEqual(['Lectern', 'Lapel', null])
    const facts = await probe(config, file)
    // Microphones, not the seats that three channels would have.
    expect(facts.audio).toMatchObject({ channels: 3, layout: '', trackNames: ['Lectern', 'Lapel', null] })
  })

  test('come from the lines of a description, unless iXML says more', async () => {
    const bext = Buffer.alloc(602)
    bext.write('sSPEED=025.000-ND\r\nsTRK1=Boom\r\nsTRK3=Room\r\n', 'latin1')
    expect(await trackNames(withChunk('bext.wav', 'bext', bext), 3)).toEqual(['Boom', null, 'Room'])
  })

  test('are none where there are none, or where nobody can read them', async () => {
    expect(await trackNames(plain(), 3)).toBeNull()
    expect(await trackNames(withChunk('broken.wav', 'iXML', '<BWFXML><TRACK_LIST><TRACK><NAME>Half'), 3)).toBeNull()
    expect(await trackNames(withChunk('empty.wav', 'iXML', ixml(track(1, '   '))), 3)).toBeNull()
    expect((await probe(config, plain())).audio?.trackNames).toBeUndefined()
    const text = path.join(folder, 'notes.wav')
    writeFileSync(text, 'no sound at all')
    expect(await trackNames(text, 2)).toBeNull()
  })

  test('of files above four gigabytes are found behind a sound whose length is told elsewhere', async () => {
    const data = Buffer.alloc(6000)
    const ds64 = Buffer.alloc(28)
    ds64.writeBigUInt64LE(BigInt(data.length), 8)
    const chunk = (id: string, content: Buffer, length = content.length) => {
      const head = Buffer.alloc(8)
      head.write(id, 'latin1')
      head.writeUInt32LE(length, 4)
      return Buffer.concat([head, content, Buffer.alloc(content.length % 2)])
    }
    const file = path.join(folder, 'long.wav')
    const body = [chunk('ds64', ds64), chunk('data', data, 0xffffffff), chunk('iXML', Buffer.from(ixml(track(1, 'Choir'))))]
    writeFileSync(file, Buffer.concat([Buffer.from('RF64\xff\xff\xff\xffWAVE', 'latin1'), ...body]))
    expect(await trackNames(file, 1)).toEqual(['Choir'])
  })
})
