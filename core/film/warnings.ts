import type { ProjectDoc } from '../project/index.ts'
import { FLICKS_PER_SECOND, type Flicks, type Rate } from '../time/index.ts'
import type { FilmStretch } from './resolver.ts'

/** What somebody should know before a film leaves; the interface has the words. */
export type FilmWarning =
  | { readonly kind: 'dark'; readonly at: Flicks; readonly seconds: number; readonly wanted: string; readonly shown: string | null }
  | { readonly kind: 'unchosen'; readonly at: Flicks; readonly seconds: number; readonly shown: string | null }
  | { readonly kind: 'short'; readonly at: Flicks; readonly frames: number }
  | { readonly kind: 'doubtful'; readonly at: Flicks; readonly clipId: string; readonly verdict: string }

/** Stretches shorter than this are mentioned, frames. */
const SHORT_FRAMES = 6

/** What is worth a look in a film's plan; `at` is master time. */
export function filmWarnings(plan: readonly FilmStretch[], doc: ProjectDoc, rate: Rate): FilmWarning[] {
  const out: FilmWarning[] = []
  for (const { from, length, wanted, angleId, standIn } of plan) {
    if (from === null) continue
    const seconds = length / FLICKS_PER_SECOND
    const frames = Math.round((seconds * rate.num) / rate.den)
    if (wanted === null) out.push({ kind: 'unchosen', at: from, seconds, shown: angleId })
    else if (standIn) out.push({ kind: 'dark', at: from, seconds, wanted, shown: angleId })
    else if (frames < SHORT_FRAMES) out.push({ kind: 'short', at: from, frames })
  }
  const used = new Set(plan.map((s) => s.clipId))
  for (const [clipId, { verdict, start }] of Object.entries(doc.placements))
    if (verdict !== 'sure' && used.has(clipId)) out.push({ kind: 'doubtful', at: start, clipId, verdict })
  return out
}
