import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { heard, placeBySound, SoundReference } from '../core/lineup/index.ts'
import { findPulse, PULSE_RATE } from '../core/pulse/index.ts'
import { ANALYSIS_RATE, resample } from '../core/signal/index.ts'
import { perform } from '../demo/band.ts'
import { MASTER_RATE, renderMaster } from '../demo/synth.ts'
import { benchBuried } from './buried.ts'
import { benchCases } from './cases.ts'
import { benchDocument } from './document.ts'
import { benchFilm, benchLooks } from './film.ts'
import { benchLong } from './long.ts'
import { benchMix } from './mix.ts'
import { benchEndurance, benchPage } from './page.ts'
import { benchPulse } from './pulse/evaluate.ts'
import { makePieces } from './pulse/make.ts'
import type { Half } from './pulse/pieces.ts'
import { benchRepeats } from './repeats.ts'
import { benchSpeech } from './speech/evaluate.ts'

/** Ratios against a baseline in the same run; nothing here passes or fails. */
function seconds(act: () => void): number {
  const began = performance.now()
  act()
  return (performance.now() - began) / 1000
}

function quick(): void {
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
}

const cached = (...names: string[]) => path.join('.cache', 'bench', ...names)

/** What `npm run bench` runs, one after the other; a name runs one of them. All material is made once and kept. */
const PARTS: Record<string, (names: string[]) => void | Promise<void>> = {
  quick,
  // 250 clips in each half, one to develop by and one only to test.
  'clips-dev': () => benchCases(cached('cases-0'), 0),
  'clips-test': () => benchCases(cached('cases-1'), 1),
  music: () => {
    makePieces(['test', 'hall'])
    benchPulse(cached('pulse'), 'test')
    benchPulse(cached('pulse'), 'hall')
  },
  speech: () => benchSpeech('test'),
  // Short clips of music that repeats itself: nothing may be wrongly sure.
  repeats: () => benchRepeats(Number(process.env.BENCH_CASES ?? 1000)),
  // Clips in which something else is louder than the event.
  buried: (names) => benchBuried(Number(process.env.BENCH_CASES ?? 200), names.map(Number)),
  document: () => benchDocument(cached('document')),
  page: () => benchPage(cached('document')),
  endurance: () => benchEndurance(cached('document')),
  // Many short stretches.
  film: () => benchFilm(cached('film')),
  // Pictures that are corrected, framed and lie over each other.
  looks: () => benchLooks(cached('film')),
  // Sixty-four channels, 1 GB.
  mix: () => benchMix(cached('mix')),
  // Hours of cameras, 2 GB.
  long: () => benchLong(cached('long-2-12'), 2, 12),
}

/** For developing only: what is learnt from, and how it does on material that may be looked at. */
const WORKSHOP: Record<string, (names: string[]) => void | Promise<void>> = {
  'pulse-pieces': (halves) => makePieces(halves as Half[]),
  'music-dev': () => {
    makePieces(['dev'])
    benchPulse(cached('pulse'), 'dev')
  },
  'speech-learn': () => benchSpeech('train', true),
  'speech-train': () => benchSpeech('train'),
  'speech-dev': () => benchSpeech('dev'),
}

const [wanted, ...names] = process.argv.slice(2).filter((a) => !a.startsWith('--'))
const parts = wanted ? [PARTS[wanted] ?? WORKSHOP[wanted]] : Object.values(PARTS)
if (parts.includes(undefined as never)) throw new Error(`there is no "${wanted}"; there are ${[...Object.keys(PARTS), ...Object.keys(WORKSHOP)].join(', ')}`)
for (const part of parts) await part(names)
