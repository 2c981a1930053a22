import { execFileSync } from 'node:child_process'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { gunzipSync } from 'node:zlib'
import { type FileFacts, notesFor } from '@pendolo/core/project'
import { makeMedia, PICTURE, showFolder, TONE, testConfig } from '../testing.ts'
import { artefactPath, completeFiles, sweepParts } from './artefacts.ts'
import { contentKey } from './content.ts'
import { makeLightCopies } from './copies.ts'
import { inputArguments, lastWords, limitsFor, PROBE_LIMITS, progressSeconds, run } from './ffmpeg.ts'
import { channelFile } from './findings.ts'
import { openHeard } from './heard.ts'
import { decodeMono } from './mono.ts'
import { clockZero } from './pictures.ts'
import { probe } from './probe.ts'
import { makeSound } from './sound.ts'
import { MediaError, wordsFor } from './words.ts'

const config = testConfig()
const show = showFolder(config)
const at = (name: string) => path.join(show, name)
const never = new AbortController().signal

describe('opening files', () => {
  test('a playlist or concat script that calls itself a video reads no other file', async () => {
    const secret = makeMedia(at('secret.wav'), TONE)
    writeFileSync(at('list.mp4'), `#EXTM3U\n#EXT-X-TARGETDURATION:4\n#EXTINF:4,\nfile://${secret}\n#EXT-X-ENDLIST\n`)
    writeFileSync(at('concat.mp4'), `ffconcat version 1.0\nfile '${secret}'\n`)
    writeFileSync(at('text.mp4'), 'this is no film')
    for (const name of ['list.mp4', 'concat.mp4', 'text.mp4']) await expect(probe(config, at(name))).rejects.toThrow(MediaError)
    await expect(probe(config, secret)).resolves.toMatchObject({ container: 'wav' })
  })

  test('names that look like options or protocols are only names', () => {
    expect(inputArguments('/x/-y.mp4').slice(-2)).toEqual(['-i', 'file:/x/-y.mp4'])
  })

  test('a program that is not installed is named', async () => {
    await expect(run('no-such-ffmpeg', [], { limits: PROBE_LIMITS, about: 'x' })).rejects.toThrow(/no-such-ffmpeg is not installed/)
  })

  test('progress and last words are read from what ffmpeg says', () => {
    expect(progressSeconds('out_time_us=1500000\nprogress=continue\nout_time_us=2500000\n')).toBe(2.5)
    expect(progressSeconds('nothing')).toBeNull()
    expect(lastWords('[mov @ 0x1] moov atom not found\nframe= 1\nInvalid data found\n')).toBe('moov atom not found; Invalid data found')
  })
})

describe('probing', () => {
  test('tells size, rate, frames, sound and timecode', async () => {
    const file = makeMedia(at('cam.mov'), [...PICTURE, ...TONE, '-c:v', 'libx264', '-c:a', 'aac', '-timecode', '10:00:00:05', '-shortest'])
    const facts = await probe(config, file)
    expect(facts.video).toMatchObject({ width: 320, height: 180, rate: { num: 25, den: 1 }, frames: 100, variableRate: false, startSeconds: 0 })
    expect(facts.audio).toMatchObject({ channels: 1, sampleRate: 48000 })
    expect(facts.timecode).toBe('10:00:00:05')
    expect(facts.durationSeconds).toBeCloseTo(4, 1)
  })

  test('pixels that are not square and turned pictures count as displayed', async () => {
    const wide = await probe(config, makeMedia(at('wide.mp4'), [...PICTURE, '-vf', 'setsar=2/1', '-c:v', 'libx264']))
    expect(wide.video).toMatchObject({ width: 640, height: 180 })
    expect(notesFor(wide)).toEqual(expect.arrayContaining([expect.objectContaining({ code: 'pixel-aspect', aspect: '2:1' }), { code: 'no-sound' }]))
  })

  test('containers with a clock keep it, streams without one begin at their first instant', () => {
    expect(clockZero('mov,mp4,m4a,3gp,3g2,mj2', 0.5)).toBe(0)
    expect(clockZero('matroska,webm', 0.5)).toBe(0)
    expect(clockZero('mp3', 0.025)).toBe(0.025)
  })
})

describe('light copies', () => {
  test('have every frame, short groups without B-frames, and never more than the source’s size', async () => {
    const file = makeMedia(at('long.mp4'), [...PICTURE, '-c:v', 'libx264', '-bf', '3', '-g', '250'])
    const facts = await probe(config, file)
    const { key } = await contentKey(file)
    expect(await makeLightCopies(config, file, key, facts, () => undefined, never)).toBe(100)
    const copy = artefactPath(config, key, 'tile')
    const told = await run(
      config.ffprobe,
      ['-v', 'error', '-select_streams', 'v', '-show_entries', 'frame=pict_type,key_frame', '-show_entries', 'stream=width,height', '-of', 'csv=p=0', copy],
      { limits: PROBE_LIMITS, about: 'x' },
    )
    const types = told
      .split('\n')
      .map((l) => /[IPB]/.exec(l)?.[0])
      .filter(Boolean)
    expect(types).not.toContain('B')
    expect(types.filter((t) => t === 'I').length).toBeGreaterThanOrEqual(8)
    expect(told).toContain('320,180')
  })

  test('a cancelled copy leaves nothing under a final name', async () => {
    const file = makeMedia(at('other.mp4'), [...PICTURE, '-vf', 'hue=s=0', '-c:v', 'libx264'])
    const { key } = await contentKey(file)
    const abort = new AbortController()
    abort.abort()
    await expect(makeLightCopies(config, file, key, await probe(config, file), () => undefined, abort.signal)).rejects.toThrow('cancelled')
    expect(existsSync(artefactPath(config, key, 'tile'))).toBe(false)
  })
})

describe('sound', () => {
  test('sample 0 is presentation time 0: codec priming and a late start do not shift it', async () => {
    const click = "aevalsrc='if(eq(n,24000),1,0)':s=48000:d=2"
    const peak = async (file: string) => {
      const samples = await decodeMono(config, file, await probe(config, file), 48000)
      return samples.reduce((best, x, i) => (Math.abs(x) > Math.abs(samples[best]) ? i : best), 0)
    }
    expect(await peak(makeMedia(at('click.wav'), ['-f', 'lavfi', '-i', click]))).toBe(24000)
    expect(Math.abs((await peak(makeMedia(at('click.m4a'), ['-f', 'lavfi', '-i', click, '-c:a', 'aac', '-b:a', '256k']))) - 24000)).toBeLessThan(24)
    expect(Math.abs((await peak(makeMedia(at('click.mp3'), ['-f', 'lavfi', '-i', click, '-c:a', 'libmp3lame', '-b:a', '256k']))) - 24000)).toBeLessThan(48)
    expect(Math.abs((await peak(makeMedia(at('late.mkv'), ['-f', 'lavfi', '-itsoffset', '0.25', '-i', click, '-c:a', 'pcm_s16le']))) - 36000)).toBeLessThan(48)
  })

  test('an empty or opposed channel is found and does not weaken what is analysed', async () => {
    const left = makeMedia(at('left.wav'), [...TONE, '-af', 'pan=stereo|c0=c0|c1=0*c0'])
    const opposed = makeMedia(at('opposed.wav'), [...TONE, '-af', 'pan=stereo|c0=c0|c1=-1*c0'])
    for (const [file, empty] of [
      [left, 'right'],
      [opposed, null],
    ] as const) {
      const { key } = await contentKey(file)
      const found = await makeSound(config, file, key, await probe(config, file), { listening: true, signal: never })
      expect(found).toMatchObject({ silent: false, emptyChannel: empty, timecode: null, others: [] })
      // What is made already tells the same without listening again.
      expect(await makeSound(config, file, key, await probe(config, file), { listening: true, signal: never })).toEqual(found)
      const { sound, close } = openHeard(artefactPath(config, key, 'analysis'))
      expect(sound.source.length).toBe(4 * 8000)
      expect(sound.features.frames).toBe(250)
      const samples = sound.source.read(0, 4 * 8000)
      close()
      expect(Math.max(...samples.map(Math.abs))).toBeGreaterThan(file === opposed ? 0.1 : 0.05)
    }
  })

  test('a channel that holds something else has an analysis sound of its own', async () => {
    const noise = ['-f', 'lavfi', '-i', 'anoisesrc=d=6:seed=3:a=0.5']
    const both = '[1]volume=0.1[q];[0][q]join=inputs=2:channel_layout=stereo'
    const file = makeMedia(at('two-things.wav'), [...noise, '-f', 'lavfi', '-i', 'sine=d=6:f=300', '-filter_complex', both])
    const alike = makeMedia(at('alike.wav'), [...noise, '-af', 'pan=stereo|c0=c0|c1=0.4*c0'])
    const made = async (name: string, key: string) => makeSound(config, name, key, await probe(config, name), { listening: false, signal: never })
    expect((await made(alike, 'd'.repeat(32)))?.others).toEqual([])
    const key = 'e'.repeat(32)
    expect((await made(file, key))?.others).toEqual([1])
    const { sound, close } = openHeard(channelFile(artefactPath(config, key, 'analysis'), 1))
    const part = sound.source.read(8000, 16000)
    close()
    // The tone alone: 300 Hz crosses zero 600 times a second.
    let crossings = 0
    for (let i = 1; i < part.length; i++) if (part[i] >= 0 !== part[i - 1] >= 0) crossings++
    expect(Math.abs(crossings - 600)).toBeLessThan(4)
    expect(sound.source.length).toBe(48000)
  })

  test('every stream of a camera that records them apart is heard for placing', async () => {
    const noise = ['-f', 'lavfi', '-i', 'anoisesrc=d=6:seed=3:a=0.5']
    const tone = ['-f', 'lavfi', '-i', 'sine=d=4:f=300']
    const file = makeMedia(at('apart.mov'), [...noise, ...tone, '-map', '0:a', '-map', '1:a', '-c:a', 'pcm_s16le'])
    const facts = await probe(config, file)
    expect(facts.audio).toMatchObject({ channels: 1, streams: 2, streamChannels: [1, 1] })
    const key = 'f'.repeat(32)
    expect((await makeSound(config, file, key, facts, { listening: true, signal: never }))?.others).toContain(1)
    const { sound, close } = openHeard(channelFile(artefactPath(config, key, 'analysis'), 1))
    const [heard, after] = [sound.source.read(8000, 16000), sound.source.read(36000, 40000)]
    close()
    expect(Math.max(...heard)).toBeGreaterThan(0.05)
    // The second stream is shorter; the first is heard to its end.
    expect(sound.source.length).toBe(48000)
    expect(Math.max(...after)).toBeLessThan(0.001)
  })

  test.each([3, 17, 18, 64])('each of %i channels has its own waveform, its own place in a track, and can be heard for placing', async (count) => {
    // One after the other they sound for a tenth of a second.
    const each = Array.from({ length: count }, (_, c) => `0.5*sin(2000*t)*between(t,${c / 10},${c / 10 + 0.1})`).join('|')
    const file = makeMedia(at(`mics-${count}.wav`), ['-f', 'lavfi', '-i', `aevalsrc='${each}':s=16000:d=7`, '-c:a', 'pcm_s16le'])
    const facts = await probe(config, file)
    expect(facts.audio?.channels).toBe(count)
    const { key } = await contentKey(file)
    const findings = await makeSound(config, file, key, facts, { listening: true, signal: never })
    expect(findings?.others?.length).toBe(Math.min(8, count))
    const waves = readFileSync(artefactPath(config, key, 'channelPeaks'))
    expect(waves.readInt32LE(20)).toBe(count)
    const points = waves.readInt32LE(16)
    const loudest = (c: number) => {
      let best = 0
      for (let i = 1; i < points; i++) if (waves.readInt8(25 + 2 * (i * count + c)) > waves.readInt8(25 + 2 * (best * count + c))) best = i
      return best / 25
    }
    for (let c = 0; c < count; c++) expect(Math.abs(loudest(c) - (c / 10 + 0.05))).toBeLessThan(0.09)
    const copy = artefactPath(config, key, 'channels')
    const told = JSON.parse(
      await run(config.ffprobe, ['-v', 'error', '-show_entries', 'stream=codec_name,channels', '-of', 'json', copy], { limits: PROBE_LIMITS, about: 'x' }),
    ) as { streams: object[] }
    const widths = Array.from({ length: Math.ceil(count / 8) }, (_, t) => Math.min(8, count - 8 * t))
    expect(told.streams).toEqual(widths.map((channels) => ({ codec_name: 'flac', channels })))
    for (const c of [0, Math.floor(count / 2), count - 1]) {
      const pick = `[0:a:${Math.floor(c / 8)}]pan=mono|c0=c${c % 8}[o]`
      const read = execFileSync('ffmpeg', ['-v', 'error', '-i', copy, '-filter_complex', pick, '-map', '[o]', '-ar', '8000', '-f', 's16le', '-'])
      const samples = new Int16Array(read.buffer.slice(read.byteOffset, read.byteOffset + read.length))
      const sounds = Array.from(samples.keys()).filter((n) => Math.abs(samples[n]) > 3000)
      expect(sounds[0] / 8000).toBeCloseTo(c / 10, 2)
      expect((sounds.at(-1) as number) / 8000).toBeCloseTo(c / 10 + 0.1, 2)
    }
  })

  test('timecode on one channel is read and kept out of what placing hears', async () => {
    const raw = gunzipSync(readFileSync(path.join(__dirname, 'fixtures', 'ltc-25.u8.gz')))
    writeFileSync(at('ltc.u8'), raw)
    const file = makeMedia(at('jammed.wav'), [
      '-f',
      'lavfi',
      '-i',
      'sine=frequency=317:duration=4:sample_rate=48000,volume=0.2',
      '-f',
      'u8',
      '-ar',
      '48000',
      '-ac',
      '1',
      '-i',
      at('ltc.u8'),
      '-filter_complex',
      '[0:a][1:a]join=inputs=2:channel_layout=stereo',
      '-c:a',
      'pcm_s16le',
    ])
    const { key } = await contentKey(file)
    const found = await makeSound(config, file, key, await probe(config, file), { listening: false, signal: never })
    expect(found).toMatchObject({ silent: false, timecode: { first: '09:59:58:20', channel: 1, framesRead: 100, rate: { num: 25, den: 1 } } })
    const { sound, close } = openHeard(artefactPath(config, key, 'analysis'))
    const samples = sound.source.read(8000, 16000)
    close()
    // Only the tone is left: it crosses zero 634 times a second, timecode thousands of times.
    let crossings = 0
    for (let i = 1; i < samples.length; i++) if (samples[i] * samples[i - 1] < 0) crossings++
    expect(Math.abs(crossings - 634)).toBeLessThan(6)
  })

  test('silence is told', async () => {
    const file = makeMedia(at('silent.wav'), ['-f', 'lavfi', '-i', 'anullsrc=r=48000:cl=mono', '-t', '3'])
    const { key } = await contentKey(file)
    expect(await makeSound(config, file, key, await probe(config, file), { listening: true, signal: never })).toMatchObject({ silent: true })
  })
})

describe('files on disk', () => {
  test('content names a file, wherever it lies', async () => {
    const one = makeMedia(at('one.wav'), TONE)
    writeFileSync(at('copy.wav'), readFileSync(one))
    writeFileSync(at('changed.wav'), Buffer.concat([readFileSync(one), Buffer.from([0])]))
    const [a, b, c] = await Promise.all(['one.wav', 'copy.wav', 'changed.wav'].map((n) => contentKey(at(n))))
    expect(a.key).toBe(b.key)
    expect(a.key).not.toBe(c.key)
  })

  test('files get their names when all are complete, and leftovers of dead processes are swept', async () => {
    const target = at('made/final.txt')
    await expect(
      completeFiles([target], async ([part]) => {
        writeFileSync(part, 'half')
        throw new Error('stopped')
      }),
    ).rejects.toThrow('stopped')
    expect(existsSync(target)).toBe(false)
    await completeFiles([target], async ([part]) => writeFileSync(part, 'whole'))
    expect(readFileSync(target, 'utf8')).toBe('whole')
    writeFileSync(at('made/.part-999999999-final.txt'), 'half')
    await sweepParts(at('made'))
    expect(existsSync(at('made/.part-999999999-final.txt'))).toBe(false)
    expect(existsSync(target)).toBe(true)
  })
})

describe('limits of what a file may take', () => {
  const limits = { seconds: 30, memoryBytes: 5e8 }
  const decode = (seconds: number) => ['-v', 'error', '-f', 'lavfi', '-i', `testsrc2=size=640x360:rate=25:duration=${seconds}`, '-f', 'null', '-']

  test('one that takes too long, too much memory or says too much is ended, and that is told by its name', async () => {
    await expect(run(config.ffmpeg, decode(100_000), { limits: { ...limits, seconds: 0.4 }, about: 'cam.mov' })).rejects.toThrow(
      /^cam\.mov took more than 0.4 s and was given up/,
    )
    const large = ['-v', 'error', '-f', 'lavfi', '-i', 'color=s=4000x4000:r=25', '-vf', 'tile=layout=5x5', '-f', 'null', '-']
    await expect(run(config.ffmpeg, large, { limits: { ...limits, memoryBytes: 1.2e8 }, about: 'cam.mov' })).rejects.toThrow(
      /^cam\.mov needs more than 114 MB of memory/,
    )
    const much = ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc2=size=640x360:rate=25', '-f', 'rawvideo', 'pipe:1']
    await expect(run(config.ffmpeg, much, { limits: { ...limits, outputBytes: 1e6 }, about: 'cam.mov' })).rejects.toThrow(
      /says more about itself than can be true/,
    )
  })

  test('cancelled it ends at once, and what its reader throws ends it too', async () => {
    const abort = new AbortController()
    const began = Date.now()
    setTimeout(() => abort.abort(), 100)
    await expect(run(config.ffmpeg, decode(100_000), { limits, about: 'x', signal: abort.signal })).rejects.toMatchObject({ code: 'cancelled' })
    expect(Date.now() - began).toBeLessThan(2000)
    const sound = ['-v', 'error', '-f', 'lavfi', '-i', 'anoisesrc', '-f', 's16le', 'pipe:1']
    const fail = () => {
      throw new Error('the reader has had enough')
    }
    await expect(run(config.ffmpeg, sound, { limits, about: 'x', onStdout: fail })).rejects.toThrow('had enough')
    await expect(run(config.ffmpeg, sound, { limits, about: 'x', onStdout: async () => fail() })).rejects.toThrow('had enough')
  })

  test('larger pictures may take more memory, but never so much that a small machine falls', () => {
    const facts = (width: number, height: number) => ({ durationSeconds: 60, video: { width, height } }) as FileFacts
    const [small, hd, huge] = [facts(320, 180), facts(1920, 1080), facts(8192, 8192)].map((f) => limitsFor(f).memoryBytes)
    expect(hd).toBeGreaterThan(small)
    expect(huge).toBeLessThanOrEqual(1.2e9)
    expect(limitsFor({ ...facts(320, 180), durationSeconds: 7200 }).seconds).toBeGreaterThan(7200 * 10)
  })
})

test.each([
  ['[mov @ 0x5] moov atom not found', /is cut off/],
  ['Error while opening: No space left on device', /disk is full/],
  ['Decoder (codec none) not found for input stream #0:1', /stored in a way that cannot be read here/],
  ['[aac @ 0x5] channel element 0.0 is not allocated', /could not be read to its end; it may be damaged/],
  ['drop_frames=0\nspeed=4.06x', /could not be read to its end/],
])('what the decoder says (%s) is told in plain words', (said, words) => {
  expect(wordsFor(said)).toMatch(words)
  expect(wordsFor(said)).not.toMatch(/@|0x|=/)
})

test('a recording that starts late counts its start once', async () => {
  for (const name of ['late.mkv', 'late.mp4']) {
    const facts = await probe(config, makeMedia(at(name), [...PICTURE, '-c:v', 'libx264', '-output_ts_offset', '2']))
    expect(facts.durationSeconds).toBeCloseTo(6, 1)
    expect(facts.video?.startSeconds).toBeCloseTo(2, 2)
  }
})

test('what a power cut left of findings and of what lies beside them is made again', async () => {
  const file = makeMedia(at('cut.wav'), TONE)
  const { key } = await contentKey(file)
  const facts = await probe(config, file)
  const make = () => makeSound(config, file, key, facts, { listening: false, signal: never })
  const whole = await make()
  const [findings, analysis] = (['findings', 'analysis'] as const).map((a) => artefactPath(config, key, a))
  const bytes = readFileSync(analysis).length
  for (const harm of [() => writeFileSync(findings, '{"silent":fal'), () => writeFileSync(findings, ''), () => writeFileSync(analysis, 'short')]) {
    harm()
    expect(await make()).toEqual(whole)
    expect(readFileSync(analysis).length).toBe(bytes)
  }
})
