import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { seeded } from '../../demo/band.ts'
import type { Truth } from './score.ts'
import { midiTruth } from './songs.ts'

/** Accompaniments of many styles, played by Debian's `mma` (a general accompaniment writer) over chords drawn here. */
const LIBRARY = '/usr/share/mma/lib/stdlib'

export interface Groove {
  readonly family: string
  readonly name: string
  readonly metre: number
}

/** Every groove whose bar is counted in quarters, 2 to 5 of them. */
export function grooves(): Groove[] {
  if (!existsSync(LIBRARY)) return []
  const out: Groove[] = []
  for (const file of readdirSync(LIBRARY).sort()) {
    if (!file.endsWith('.mma') || /metronome|none/.test(file)) continue
    const text = readFileSync(path.join(LIBRARY, file), 'latin1')
    const metre = Number(/^\s*Time\s+(\d)/im.exec(text)?.[1] ?? 4)
    const signature = /^\s*Timesig\s+(\d+)[ /](\d+)/im.exec(text)
    if (signature && (Number(signature[1]) !== metre || Number(signature[2]) !== 4)) continue
    if (metre < 2 || metre > 4) continue
    for (const found of text.matchAll(/^\s*DefGroove\s+(\S+)/gim)) {
      if (/Intro|End|Fill/i.test(found[1])) continue
      out.push({ family: file.replace('.mma', ''), name: found[1], metre })
    }
  }
  return out
}

const SONGS: readonly (readonly string[])[] = [
  ['C', 'F', 'G7', 'C', 'C', 'F', 'G7', 'C'],
  ['C', 'Am', 'F', 'G', 'C', 'Am', 'Dm', 'G7'],
  ['Am', 'F', 'C', 'G', 'Am', 'F', 'E7', 'Am'],
  ['Dm7', 'G7', 'CM7', 'A7', 'Dm7', 'G7', 'CM7', 'CM7'],
  ['C7', 'F7', 'C7', 'C7', 'F7', 'F7', 'C7', 'C7', 'G7', 'F7', 'C7', 'G7'],
  ['Em', 'Em', 'D', 'D', 'C', 'C', 'B7', 'B7'],
  ['F', 'Gm / C7', 'F', 'Bb / C7', 'Dm', 'Gm', 'C7', 'F'],
]

/** One groove over a song, with the accompaniment's own variation; null when it cannot be played. */
export function groovePiece(groove: Groove, seed: number, seconds: number): { midi: Uint8Array; truth: Truth } | null {
  const r = seeded(seed)
  for (let i = 0; i < 4; i++) r()
  const song = SONGS[Math.floor(r() * SONGS.length)]
  const natural = /waltz|jazz|swing|bebop|quick|polka|fast/i.test(groove.family) ? 150 : /ballad|slow|lullaby|hymn/i.test(groove.family) ? 80 : 116
  const tempo = Math.round(natural * (0.78 + 0.5 * r()))
  const bars = Math.ceil((seconds * tempo) / 60 / groove.metre)
  const steps = Math.floor(r() * 12) - 5
  const lines = [`Tempo ${tempo}`, `Groove ${groove.name}`, `Transpose ${steps}`]
  const solo = r() < 0.5
  // Some grooves only count four beats; a tune on top gives the harmony that drums alone do not.
  for (let bar = 0; bar < bars; bar++) {
    if (solo && bar === 0) lines.push(`Begin Solo`, `Voice ${['TenorSax', 'Flute', 'Trumpet', 'Violin'][Math.floor(r() * 4)]}`, 'Articulate 80', 'End')
    const chord = song[bar % song.length].replace(' /', groove.metre === 4 ? ' /' : '').split(' ')
    lines.push(`${bar + 1} ${groove.metre === 4 ? chord.join(' ') : chord[0]}${solo ? ` {${tuneOf(groove.metre, chord[0], r)}}` : ''}`)
  }
  const folder = mkdtempSync(path.join(os.tmpdir(), 'pendolo-groove-'))
  try {
    writeFileSync(path.join(folder, 'song.mma'), `${lines.join('\n')}\n`)
    const run = spawnSync('mma', [path.join(folder, 'song.mma'), '-f', path.join(folder, 'song.mid')], { encoding: 'utf8', timeout: 20000 })
    if (run.status !== 0 || !existsSync(path.join(folder, 'song.mid'))) return null
    const midi = new Uint8Array(readFileSync(path.join(folder, 'song.mid')))
    return { midi, truth: midiTruth(midi, groove.metre, seconds) }
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

function tuneOf(metre: number, chord: string, r: () => number): string {
  const tones: Record<string, string[]> = { m: ['c', 'eb', 'g'], M: ['c', 'e', 'g'] }
  const of = tones[/m(?!aj)/.test(chord) ? 'm' : 'M']
  const out: string[] = []
  for (let beat = 0; beat < metre; beat++) {
    const dice = r()
    const tone = () => of[Math.floor(r() * of.length)]
    if (dice < 0.55) out.push(`4${tone()}`)
    else if (dice < 0.85) out.push(`8${tone()}`, `8${tone()}`)
    else out.push('4r')
  }
  return `${out.join(';')};`
}
