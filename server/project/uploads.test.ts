import { droppedFound, safeParts } from './uploads.ts'

test('dropped names become names on disk: no way up, no control characters, no more bytes than there may be', () => {
  expect(safeParts('cam-a/DCIM/C0001.MP4')).toEqual(['cam-a', 'DCIM', 'C0001.MP4'])
  expect(safeParts('../../etc/./passwd')).toEqual(['etc', 'passwd'])
  expect(safeParts('..\\..\\evil.wav')).toEqual(['evil.wav'])
  expect(safeParts('a\0b\u0007.wav')).toEqual(['a_b_.wav'])
  for (const empty of ['', '..', '/', '././.', '   ']) expect(safeParts(empty)).toEqual([])
  for (const long of [`${'電'.repeat(90)}.mp4`, `${'x'.repeat(300)}.mp4`, '🎺'.repeat(120)]) {
    const [name] = safeParts(long)
    expect(Buffer.byteLength(name)).toBeLessThanOrEqual(200)
    // Nothing is cut in the middle of a character.
    expect(name).not.toContain('\ufffd')
    expect(long.startsWith(name.replace(/\.mp4$/, ''))).toBe(true)
  }
  expect(safeParts(`${'d/'.repeat(80)}x.wav`)).toHaveLength(16)
  expect(safeParts(`${'d/'.repeat(80)}x.wav`).at(-1)).toBe('x.wav')
})

test('files dropped in folders find their cameras; what lies beside recordings there is passed over', () => {
  const file = (name: string) => ({ path: `/up/${name}`, parts: name.split('/') })
  expect(
    droppedFound([
      file('night/cam-a/1.mp4'),
      file('night/cam-a/1.xml'),
      file('night/cam-b/DCIM/2.mp4'),
      file('night/loose.wav'),
      file('alone.wav'),
      file('odd.bin'),
    ]),
  ).toEqual([
    { path: '/up/alone.wav', folder: null },
    { path: '/up/odd.bin', folder: null },
    { path: '/up/night/cam-a/1.mp4', folder: 'cam-a' },
    { path: '/up/night/cam-b/DCIM/2.mp4', folder: 'cam-b' },
    { path: '/up/night/loose.wav', folder: null },
  ])
  expect(droppedFound([file('cam/a.mp4'), file('cam/b.mp4')]).map((f) => f.folder)).toEqual(['cam', 'cam'])
})
