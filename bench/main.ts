import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { heard, placeBySound, SoundReference } from '../core/lineup/index.ts'
import { findPulse, PULSE_RATE } from '../core/pulse/index.ts'
import { ANALYSIS_RATE, resample } from '../core/signal/index.ts'
import { perform } from '../demo/band.ts'
import { MASTER_RATE, renderMaster } from '../demo/synth.ts'
import { benchCases } from './cases.ts'
import { benchLong } from './long.ts'
import { benchPulse } from './pulse/evaluate.ts'
import { makePieces } from './pulse/make.ts'
import type { Half } from './pulse/pieces.ts'

/** Ratios against a baseline in the same run; nothing here passes or fails. */
function seconds(act: () => void): number {
  const began = performance.now()
  act()
  return (performance.now() - began) / 1000
}

const folder = mkdtempSync(path.join(os.tmpdir(), 'pendolo-bench-'))
try {
  const show = perform()
  const { left, right } = renderMaster(show, new Float32Array(0))
  const mono = left.map((x, i) => 0.5 * (x + right[i]))
  const raw = path.join(folder, 'master.f32')
  const aac = path.join(folder, 'master.m4a')
  writeFileSync(raw, Buffer.from(mono.buffer))
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'f32le', '-ar', String(MASTER_RATE), '-ac', '1', '-i', raw, '-c:a', 'aac', aac])
  const decode = seconds(() =>
    execFileSync('ffmpeg', ['-v', 'error', '-i', aac, '-ac', '1', '-ar', String(ANALYSIS_RATE), '-f', 's16le', path.join(folder, 'out.s16')]),
  )
  console.log(`baseline: ffmpeg decodes ${show.seconds} s of AAC to 8 kHz mono in ${decode.toFixed(2)} s`)

  const at8k = resample(mono, ANALYSIS_RATE / MASTER_RATE)
  let reference: SoundReference | null = null
  const prepare = seconds(() => {
    reference = new SoundReference(heard(at8k))
  })
  console.log(`line up: preparing the master takes ${(prepare / decode).toFixed(2)} × decoding it`)
  for (const length of [20, 60, 120]) {
    const clip = at8k.slice(52 * ANALYSIS_RATE, (52 + length) * ANALYSIS_RATE)
    const time = seconds(() => placeBySound(reference as SoundReference, heard(clip)))
    console.log(`line up: a clip of ${length} s takes 1/${(length / time).toFixed(0)} of its length, ${(time / decode).toFixed(1)} × decoding the master`)
  }
  const at16k = resample(mono, PULSE_RATE / MASTER_RATE)
  const pulse = seconds(() => findPulse(at16k))
  console.log(`pulse: 1/${(show.seconds / pulse).toFixed(0)} of real time`)
} finally {
  rmSync(folder, { recursive: true, force: true })
}

// Made once and kept. `npm run bench -- pulse-pieces train dev` makes what the network learns from, and nothing else.
if (process.argv[2] === 'pulse-pieces') makePieces(process.argv.slice(3) as Half[])
else if (!process.argv.includes('--short')) {
  // 250 clips in each half, one to develop by and one only to test; then music; then hours of cameras, 2 GB.
  for (const half of [0, 1] as const) benchCases(path.join('.cache', 'bench', `cases-${half}`), half)
  makePieces(['test'])
  benchPulse(path.join('.cache', 'bench', 'pulse'), 'test')
  await benchLong(path.join('.cache', 'bench', 'long-2-12'), 2, 12)
}
