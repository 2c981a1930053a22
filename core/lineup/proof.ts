import type { Candidate } from './verdict.ts'

/** Ways whose proofs are told in their own words; what they count is windows of sound, changes of light, recordings. */
export type ProvenBy = 'light' | 'timecode' | 'time'

/** All that speaks for and against a placement; what the proof panel shows. */
export interface PlaceProof {
  /** What the place was found by; absent: sound. */
  readonly by?: ProvenBy
  readonly chosen: Candidate | null
  readonly rivals: Candidate[]
  /** Support of the next-best over that of the chosen, 0..1. */
  readonly rivalRatio: number
  /** What was compared by itself, over the clip: windows of sound, changes of light. */
  readonly windows: { clipSeconds: number; lagMs: number; strength: number; agrees: boolean }[]
  /** How well each start on the master fits, from `curveStart` in steps of `curveStep`, s; empty where no others were tried. */
  readonly curve: number[]
  readonly curveStart: number
  readonly curveStep: number
  readonly invertedPolarity: boolean
  /** Where the recording lost or gained time, s of the clip, and how much its later part lies later, s; absent in old proofs. */
  readonly jumps?: { readonly clipSeconds: number; readonly bySeconds: number }[]
  /** How much later than by its sound the clip lies by timecode or light: the time the sound took to the camera. */
  readonly late?: { readonly seconds: number; readonly by: 'timecode' | 'light' }
}

/** A proof of few words: a place, what else it could be, and how many speak for each. */
export function plainProof(by: ProvenBy, chosen: Candidate, rivals: readonly Candidate[]): PlaceProof {
  const best = Math.max(0, ...rivals.map((r) => r.support))
  return {
    by,
    chosen,
    rivals: [...rivals],
    rivalRatio: chosen.support > 0 ? Math.min(1, best / chosen.support) : 0,
    windows: [],
    curve: [],
    curveStart: 0,
    curveStep: 1,
    invertedPolarity: false,
  }
}
