import { execFileSync } from 'node:child_process'
import { closeSync, copyFileSync, openSync, readFileSync, rmSync, truncateSync, writeFileSync, writeSync } from 'node:fs'
import path from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { probe } from '../media/probe.ts'
import { takenApart } from '../media/sound-clock.ts'
import type { MediaError } from '../media/words.ts'
import { makeMedia, showFolder, testConfig } from '../testing.ts'
import { FILM_SOUND_RATE } from './placed-sound.ts'
import { type Listener, type SoundReader, soundReader } from './sound-reader.ts'

const config = testConfig()
const folder = showFolder(config)
const SECONDS = 5

/** A wave file of noise, as ffmpeg writes it. */
const wave = (name: string, channels: number, codec: string, more: readonly string[] = []) =>
  makeMedia(path.join(folder, name), [
    ...['-f', 'lavfi', '-i', `anoisesrc=seed=7:d=${SECONDS}:r=48000:a=0.5`],
    ...['-af', `pan=${channels}c|${Array.from({ length: channels }, (_, c) => `c${c}=${(1 - c / 100).toFixed(2)}*c0`).join('|')}`],
    ...['-c:a', codec, ...more],
  ])

/** Its samples as ffmpeg reads them. */
const asFfmpeg = (file: string, form: string): Buffer =>
  execFileSync('ffmpeg', ['-v', 'error', '-i', file, '-c', 'copy', '-f', form, '-'], { maxBuffer: 2 ** 28 })

/** Opens one to be listened to. */
async function opened(file: string, seconds: number, listener: Listener): Promise<SoundReader> {
  const facts = await probe(config, file)
  const channels = Array.from({ length: facts.audio?.channels ?? 0 }, (_, c) => c)
  const taken = takenApart(facts, { stream: 0, channels }, FILM_SOUND_RATE)
  return soundReader(config, { id: 'f', name: path.basename(file), path: file, facts }, [taken], seconds, listener)
}

/** All that comes from somewhere on, with a rest now and then. */
async function all(file: string, seconds = 0): Promise<{ bytes: Buffer; failure: MediaError | null }> {
  const parts: Buffer[] = []
  let failure: MediaError | null = null
  let end: () => void = () => undefined
  const ended = new Promise<void>((resolve) => (end = resolve))
  const reader = await opened(file, seconds, {
    came: (_, bytes) => {
      parts.push(Buffer.from(bytes))
      reader.pause()
      reader.pause()
      setImmediate(() => reader.goOn())
    },
    ended: (why) => {
      failure = why
      end()
    },
  })
  await ended
  reader.close()
  return { bytes: Buffer.concat(parts), failure }
}

describe('samples as they lie in a wave file', () => {
  test.each([
    ['one.wav', 1, 'pcm_s16le', 's16le', 2],
    ['three.wav', 3, 'pcm_s24le', 's24le', 3],
    ['five.wav', 5, 'pcm_s32le', 's32le', 4],
    ['sixteen.wav', 16, 'pcm_f32le', 'f32le', 4],
  ])('%s comes whole, and from any second on, as ffmpeg reads it', async (name, channels, codec, form, size) => {
    const file = wave(name, channels, codec)
    const wanted = asFfmpeg(file, form)
    expect(wanted.length).toBe(SECONDS * FILM_SOUND_RATE * channels * size)
    expect((await all(file)).bytes.equals(wanted)).toBe(true)
    expect((await all(file, 3)).bytes.equals(wanted.subarray(3 * FILM_SOUND_RATE * channels * size))).toBe(true)
    expect(await all(file, 9)).toEqual({ bytes: Buffer.alloc(0), failure: null })
  })

  test('comes alike where the length stands elsewhere, where none was written, and where chunks lie around', async () => {
    const plain = wave('plain.wav', 2, 'pcm_s24le')
    const wanted = asFfmpeg(plain, 's24le')
    const large = wave('large.wav', 2, 'pcm_s24le', ['-rf64', 'always', '-metadata', 'title=Depot Night'])
    expect(readFileSync(large).toString('latin1', 0, 4)).toBe('RF64')
    // As it is when a recorder lost its power, or somebody wrote into a pipe.
    const open = path.join(folder, 'open.wav')
    copyFileSync(plain, open)
    const at = readFileSync(plain).indexOf('data') + 4
    const to = openSync(open, 'r+')
    writeSync(to, Buffer.from([0xff, 0xff, 0xff, 0xff]), 0, 4, at)
    closeSync(to)
    const behind = path.join(folder, 'behind.wav')
    writeFileSync(behind, Buffer.concat([readFileSync(plain), Buffer.from('note\x04\0\0\0what', 'latin1')]))
    for (const file of [plain, large, open, behind]) expect((await all(file)).bytes.equals(wanted)).toBe(true)
  })

  test('of one that breaks off comes what is there, and of one that is gone a failure in words', async () => {
    const file = wave('short.wav', 2, 'pcm_s16le')
    const wanted = asFfmpeg(file, 's16le')
    const facts = readFileSync(file)
    const reader = await opened(file, 0, { came: () => undefined, ended: () => undefined })
    reader.close()
    truncateSync(file, facts.length - 100_002)
    const { bytes, failure } = await all(file)
    expect(bytes.equals(wanted.subarray(0, bytes.length))).toBe(true)
    expect(bytes.length).toBe(wanted.length - 100_002)
    expect(failure).toBeNull()

    const known = await probe(config, file)
    const taken = takenApart(known, { stream: 0, channels: [0, 1] }, FILM_SOUND_RATE)
    const gone = { id: 'f', name: 'gone.wav', path: path.join(folder, 'gone.wav'), facts: known }
    const why = await new Promise<MediaError | null>((ended) => soundReader(config, gone, [taken], 0, { came: () => undefined, ended }))
    expect(why?.message).toBe('gone.wav is not where it was; find it again in Gather, then try again')
    writeFileSync(gone.path, 'no sound at all')
    const damaged = await new Promise<MediaError | null>((ended) => soundReader(config, gone, [taken], 0, { came: () => undefined, ended }))
    expect(damaged?.message).toBe('gone.wav could not be read to its end; it may be damaged. Copy it from the card again')
  })

  test('while it is paused nothing more comes, and once it is closed not even the end', async () => {
    const file = wave('paused.wav', 8, 'pcm_f32le')
    let [came, ended] = [0, 0]
    const reader = await opened(file, 0, {
      came: () => {
        came++
        reader.pause()
      },
      ended: () => ended++,
    })
    const until = async (wanted: number) => {
      while (came < wanted) await sleep(10)
      await sleep(200)
      expect(came).toBe(wanted)
    }
    await until(1)
    reader.goOn()
    await until(2)
    reader.close()
    await sleep(300)
    expect([came, ended]).toEqual([2, 0])
  })

  test('of a disk that stops answering it is said after a minute', async () => {
    const file = wave('asleep.wav', 2, 'pcm_s16le')
    const facts = await probe(config, file)
    const taken = takenApart(facts, { stream: 0, channels: [0, 1] }, FILM_SOUND_RATE)
    rmSync(file)
    // Who opens it waits until somebody writes into it.
    execFileSync('mkfifo', [file])
    jest.useFakeTimers({ doNotFake: ['nextTick', 'setImmediate', 'queueMicrotask'] })
    try {
      let said: MediaError | null | undefined
      const asked = { id: 'f', name: 'asleep.wav', path: file, facts }
      soundReader(config, asked, [taken], 0, { came: () => undefined, ended: (why) => (said = why) })
      await jest.advanceTimersByTimeAsync(59_000)
      expect(said).toBeUndefined()
      await jest.advanceTimersByTimeAsync(2000)
      expect(said?.message).toBe('asleep.wav does not come from its disk any more; look whether that is connected, then try again')
    } finally {
      jest.useRealTimers()
      closeSync(openSync(file, 'r+'))
    }
  })
})
