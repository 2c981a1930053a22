import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, realpathSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { pino } from 'pino'
import { type Config, makeConfig } from './config.ts'
import { type OpenWorkshop, openWorkshop } from './http/serve.ts'

/** A home of the test's own with one root below it. */
export function testConfig(): Config {
  const base = realpathSync(mkdtempSync(path.join(os.tmpdir(), 'pendolo-test-')))
  mkdirSync(path.join(base, 'show'))
  return { ...makeConfig(path.join(base, 'home')), roots: [path.join(base, 'show'), path.join(base, 'home', 'uploads')] }
}

export function showFolder(config: Config): string {
  return config.roots[0]
}

export function testWorkshop(config: Config): Promise<OpenWorkshop> {
  return openWorkshop(config, pino({ level: 'silent' }))
}

/** Writes a small real file with ffmpeg. */
export function makeMedia(file: string, args: string[]): string {
  mkdirSync(path.dirname(file), { recursive: true })
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...args, file])
  return file
}

/** An ffmpeg that was built without vid.stab. */
export function ffmpegWithoutFollowing({ home }: Config): string {
  const file = path.join(home, 'ffmpeg-plain')
  mkdirSync(home, { recursive: true })
  const script = [
    'case "$*" in',
    '*-filters*) ffmpeg "$@" | grep -v vidstab ;;',
    '*vidstab*) echo "No such filter: vidstab" >&2; exit 8 ;;',
    '*) exec ffmpeg "$@" ;;',
    'esac',
  ]
  writeFileSync(file, ['#!/bin/sh', ...script, ''].join('\n'), { mode: 0o755 })
  return file
}

export const TONE = ['-f', 'lavfi', '-i', 'sine=frequency=440:sample_rate=48000:duration=4']
export const PICTURE = ['-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=25:duration=4']

const BITS = 16
const CELL = 20
const WIDTH = BITS * CELL
const HEIGHT = 180

/** A film of grey pictures, each with its number in black and white bars and again below them inverted. */
export function makeNumbered(file: string, count: number, rate: string, filter: string, args: readonly string[]): string {
  const all = Buffer.alloc(count * WIDTH * HEIGHT)
  for (let n = 0; n < count; n++)
    for (let y = 0; y < HEIGHT; y++) {
      const value = y < HEIGHT / 2 ? n : ~n
      const row = n * WIDTH * HEIGHT + y * WIDTH
      for (let bit = 0; bit < BITS; bit++) all.fill((value >> (BITS - 1 - bit)) & 1 ? 225 : 30, row + bit * CELL, row + (bit + 1) * CELL)
    }
  mkdirSync(path.dirname(file), { recursive: true })
  const raw = ['-f', 'rawvideo', '-pix_fmt', 'gray', '-s', `${WIDTH}x${HEIGHT}`, '-framerate', rate, '-i', 'pipe:0']
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...raw, ...args, '-vf', filter, '-pix_fmt', args.includes('mjpeg') ? 'yuvj420p' : 'yuv420p', file], {
    input: all,
  })
  return file
}

/** The number in a picture of {@link makeNumbered}, from its luma; null when the two halves disagree. */
export function numberIn(luma: Uint8Array, { width, height }: { width: number; height: number }): number | null {
  const read = (share: number) => {
    let value = 0
    for (let bit = 0; bit < BITS; bit++)
      value = (value << 1) | (luma[Math.floor(share * height) * width + Math.floor(((bit + 0.5) / BITS) * width)] > 128 ? 1 : 0)
    return value
  }
  const [above, below] = [read(0.25), read(0.75)]
  return above === (~below & 0xffff) ? above : null
}
