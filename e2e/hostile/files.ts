import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'

/** Seeded chance, so that a failing file can be made again. */
export function chance(seed: number): (below: number) => number {
  let a = seed
  return (below) => {
    a = (a + 0x6d2b79f5) | 0
    let t = Math.imul(a ^ (a >>> 15), 1 | a)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return Math.floor((((t ^ (t >>> 14)) >>> 0) / 4294967296) * below)
  }
}

export const ffmpeg = (...args: string[]) => execFileSync('ffmpeg', ['-v', 'error', '-y', ...args])

const PICTURE = ['-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=25:duration=4']
const SOUND = ['-f', 'lavfi', '-i', "aevalsrc='0.4*sin(2*PI*(300+200*floor(mod(t*4,5)))*t)*exp(-mod(t,0.25)*6)':s=48000:d=4"]
const X264 = ['-c:v', 'libx264', '-preset', 'ultrafast']

/** Whole files of many kinds, as other programs write them. */
const WHOLE: Readonly<Record<string, readonly string[]>> = {
  'whole.mp4': [...PICTURE, ...SOUND, ...X264, '-c:a', 'aac', '-shortest'],
  'whole.mov': [...PICTURE, ...SOUND, ...X264, '-c:a', 'pcm_s16le', '-timecode', '10:00:00:00', '-shortest'],
  'frag.mp4': [...PICTURE, ...SOUND, ...X264, '-c:a', 'aac', '-movflags', 'frag_keyframe+empty_moov', '-shortest'],
  'whole.mkv': [...PICTURE, ...SOUND, ...X264, '-c:a', 'flac', '-shortest'],
  'whole.webm': [...PICTURE, ...SOUND, '-c:v', 'libvpx', '-deadline', 'realtime', '-c:a', 'libopus', '-shortest'],
  'whole.avi': [...PICTURE, ...SOUND, '-c:v', 'mpeg4', '-c:a', 'pcm_s16le', '-shortest'],
  'whole.ts': [...PICTURE, ...SOUND, ...X264, '-c:a', 'aac', '-shortest', '-f', 'mpegts'],
  'whole.mpg': [...PICTURE, ...SOUND, '-c:v', 'mpeg2video', '-c:a', 'mp2', '-shortest'],
  'whole.wav': [...SOUND, '-c:a', 'pcm_s24le'],
  'whole.flac': [...SOUND, '-c:a', 'flac'],
  'whole.mp3': [...SOUND, '-c:a', 'libmp3lame'],
  'whole.ogg': [...SOUND, '-c:a', 'libvorbis'],
  'whole.aiff': [...SOUND, '-c:a', 'pcm_s16be'],
}

type Harm = (bytes: Buffer, below: (n: number) => number) => Buffer

const HARMS: Readonly<Record<string, Harm>> = {
  cut: (b, r) => b.subarray(0, 1 + r(b.length)),
  headless: (b, r) => b.subarray(1 + r(Math.min(4000, b.length - 2))),
  flips: (b, r) => {
    for (let i = 0; i < 40; i++) b[r(b.length)] ^= 1 << r(8)
    return b
  },
  header: (b, r) => {
    for (let i = 0; i < 6; i++) b[r(Math.min(600, b.length))] = r(256)
    return b
  },
  tail: (b, r) => {
    for (let i = 0; i < 30; i++) b[b.length - 1 - r(Math.min(3000, b.length))] = r(256)
    return b
  },
  zeros: (b, r) => {
    const at = r(b.length)
    return b.fill(0, at, Math.min(b.length, at + Math.floor(b.length / 3)))
  },
  stuffed: (b, r) => {
    const at = r(b.length)
    return Buffer.concat([b.subarray(0, at), Buffer.alloc(1 + r(9000), r(256)), b.subarray(at)])
  },
  doubled: (b, r) => Buffer.concat([b, b.subarray(r(b.length))]),
  numbers: (b, r) => {
    // Sizes and counts become the largest there are.
    for (let i = 0; i < 4; i++) b.writeUInt32BE(r(2) ? 0xffffffff : 0x7fffffff, 4 * r(Math.floor(Math.min(1200, b.length - 8) / 4)))
    return b
  },
}

const wavHeader = (change: (b: Buffer) => void) => (b: Buffer) => {
  change(b)
  return b
}

/** Files made to ask for more than there is, each by hand. */
const MADE: Readonly<Record<string, { from: string; make: (b: Buffer) => Buffer }>> = {
  'one-hertz.wav': { from: 'whole.wav', make: wavHeader((b) => b.writeUInt32LE(1, 24)) },
  'no-hertz.wav': { from: 'whole.wav', make: wavHeader((b) => b.writeUInt32LE(0, 24)) },
  'no-channel.wav': { from: 'whole.wav', make: wavHeader((b) => b.writeUInt16LE(0, 22)) },
  'many-channels.wav': { from: 'whole.wav', make: wavHeader((b) => b.writeUInt16LE(65535, 22)) },
  'long-claim.wav': { from: 'whole.wav', make: wavHeader((b) => b.writeUInt32LE(0xfffffff0, b.indexOf('data') + 4)) },
  'slow-rate.avi': {
    from: 'whole.avi',
    make: (b) => {
      const at = b.indexOf('vids')
      b.writeUInt32LE(2147483647, at + 20)
      b.writeUInt32LE(12800, at + 24)
      return b
    },
  },
  'quick-rate.avi': {
    from: 'whole.avi',
    make: (b) => {
      const at = b.indexOf('vids')
      b.writeUInt32LE(1, at + 20)
      b.writeUInt32LE(0x7fffffff, at + 24)
      return b
    },
  },
  'empty.mp4': { from: 'whole.mp4', make: () => Buffer.alloc(0) },
  'one-byte.mov': { from: 'whole.mp4', make: () => Buffer.from([0]) },
  'text.mp4': { from: 'whole.mp4', make: () => Buffer.from('this is no film\n'.repeat(200)) },
  'playlist.mp4': { from: 'whole.mp4', make: () => Buffer.from('#EXTM3U\n#EXTINF:4,\nfile:///etc/passwd\n#EXT-X-ENDLIST\n') },
  'script.mp4': { from: 'whole.mp4', make: () => Buffer.from("ffconcat version 1.0\nfile '/etc/passwd'\n") },
  'noise.mkv': { from: 'whole.mp4', make: (b) => Buffer.from(b.map((x, i) => (x * 31 + i * 17) & 255)) },
}

/** Whole files of every kind, made once for all tests. */
export function wholeFiles(): string {
  const kept = path.join(os.tmpdir(), 'pendolo-hostile-1')
  if (existsSync(kept)) return kept
  const folder = mkdtempSync(`${kept}-`)
  for (const [name, args] of Object.entries(WHOLE)) ffmpeg(...args, path.join(folder, name))
  // Two seconds, a gap of a day, two seconds; as a damaged clock writes it.
  ffmpeg(
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=320x180:rate=25:duration=4',
    '-vf',
    "setpts='if(gte(N,50),PTS+86400/TB,PTS)'",
    '-fps_mode',
    'passthrough',
    ...X264,
    path.join(folder, 'gap.mkv'),
  )
  ffmpeg('-f', 'lavfi', '-i', 'color=s=16000x16000:r=5:d=0.4', '-c:v', 'mjpeg', '-q:v', '31', path.join(folder, 'giant.avi'))
  try {
    renameSync(folder, kept)
  } catch {
    // Another worker was quicker.
    rmSync(folder, { recursive: true, force: true })
  }
  return kept
}

/** Writes so many damaged and hostile files into a folder. @returns their names */
export function hostileFiles(into: string, count: number, seed = 1): string[] {
  const whole = wholeFiles()
  mkdirSync(into, { recursive: true })
  const names: string[] = []
  const put = (name: string, bytes: Buffer) => {
    writeFileSync(path.join(into, name), bytes)
    names.push(name)
  }
  for (const name of ['gap.mkv', 'giant.avi']) put(name, readFileSync(path.join(whole, name)))
  for (const [name, { from, make }] of Object.entries(MADE)) put(name, make(readFileSync(path.join(whole, from))))
  const kinds = Object.keys(WHOLE)
  const harms = Object.keys(HARMS)
  for (let n = 0; names.length < count; n++) {
    const kind = kinds[n % kinds.length]
    const harm = harms[Math.floor(n / kinds.length) % harms.length]
    const bytes = HARMS[harm](readFileSync(path.join(whole, kind)), chance(seed * 7919 + n))
    put(`${harm}-${n}${path.extname(kind)}`, bytes)
  }
  return names
}
