import { existsSync, statSync } from 'node:fs'
import { mkdir, open, readdir, rename, rm } from 'node:fs/promises'
import path from 'node:path'
import type { Config } from '../config.ts'

/** Things derived from an original, on disk under the name of its content. All of them can be made again. */
export const ARTEFACTS = {
  tile: 'tile.mp4',
  sharp: 'sharp.mp4',
  sound: 'sound.mp4',
  channels: 'tracks.mp4',
  peaks: 'peaks.dat',
  channelPeaks: 'channels.dat',
  analysis: 'sound-8k.s16',
  findings: 'sound.json',
  luma: 'luma.u8',
  onsets: 'onsets.u8',
  joined: 'joined.flac',
  drawing: 'drawing.png',
  prepared: 'prepared.mp4',
} as const
export type Artefact = keyof typeof ARTEFACTS

export function artefactPath(config: Config, key: string, artefact: Artefact): string {
  return path.join(config.artefacts, key.slice(0, 2), key, ARTEFACTS[artefact])
}

export function hasArtefact(config: Config, key: string, artefact: Artefact): boolean {
  // An empty one is what a full disk or a power cut left.
  return (statSync(artefactPath(config, key, artefact), { throwIfNoEntry: false })?.size ?? 0) > 0
}

/** Bytes of all that was derived from an original. */
export function artefactBytes(config: Config, key: string): number {
  const sizes = Object.keys(ARTEFACTS).map((kind) => statSync(artefactPath(config, key, kind as Artefact), { throwIfNoEntry: false })?.size ?? 0)
  return sizes.reduce((sum, bytes) => sum + bytes, 0)
}

export const PART = '.part'

/**
 * Lets `make` write to unfinished names and gives the files their final names only when all are complete, so that a
 * killed process leaves nothing half-written under a final name.
 */
export async function completeFiles<T>(finals: readonly string[], make: (parts: string[]) => Promise<T>): Promise<T> {
  await Promise.all(finals.map((f) => mkdir(path.dirname(f), { recursive: true })))
  const parts = finals.map((f) => path.join(path.dirname(f), `${PART}-${process.pid}-${path.basename(f)}`))
  try {
    const made = await make(parts)
    for (const [i, part] of parts.entries()) {
      await synced(part)
      await rename(part, finals[i])
    }
    for (const folder of new Set(finals.map((f) => path.dirname(f)))) await synced(folder)
    return made
  } finally {
    await Promise.all(parts.map((part) => rm(part, { force: true })))
  }
}

/** Waits until what was written lies on the disk, so that a power cut after the renaming leaves no empty file. */
export async function synced(file: string): Promise<void> {
  const handle = await open(file, 'r')
  try {
    await handle.sync()
  } finally {
    await handle.close()
  }
}

/** Removes what an earlier, killed process left unfinished. */
export async function sweepParts(folder: string): Promise<void> {
  if (!existsSync(folder)) return
  const entries = await readdir(folder, { recursive: true, withFileTypes: true })
  for (const entry of entries) {
    const owner = new RegExp(`^\\${PART}-(\\d+)-`).exec(entry.name)
    // What older versions kept: features of sounds, and channels each in a track of its own.
    const old = entry.name.endsWith('.bands') || entry.name === 'channels.mp4'
    if (entry.isFile() && (old || (owner && !isAlive(Number(owner[1]))))) await rm(path.join(entry.parentPath, entry.name), { force: true })
  }
}

/** Whether a process still runs: the command line may render beside a running server. */
function isAlive(pid: number): boolean {
  if (pid === process.pid) return false
  try {
    process.kill(pid, 0)
    return true
  } catch {
    return false
  }
}
