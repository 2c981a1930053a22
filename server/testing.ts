import { execFileSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, realpathSync } from 'node:fs'
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

export const TONE = ['-f', 'lavfi', '-i', 'sine=frequency=440:sample_rate=48000:duration=4']
export const PICTURE = ['-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=25:duration=4']
