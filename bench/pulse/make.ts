import { writeFileSync } from 'node:fs'
import path from 'node:path'
import { networkInputs, onsetFeatures } from '../../core/pulse/index.ts'
import { type Half, keepPieces } from './pieces.ts'

/** `node scripts/bench.mjs pulse-pieces [train|dev|test]…`: writes pieces, and what the network reads of them, for train.py. */
export function makePieces(halves: Half[], from = 0, every = 1): void {
  for (const half of halves)
    keepPieces(
      path.join('.cache', 'bench', 'pulse'),
      half,
      ({ samples }, file) => {
        writeFileSync(`${file}.rows`, networkInputs(onsetFeatures(samples)))
        if (half !== 'train') writeFileSync(`${file}.s16`, Buffer.from(Int16Array.from(samples, (x) => Math.round(x * 32767)).buffer))
      },
      from,
      every,
    )
}
