/** What a job is doing now, or how it went; interfaces have the words (`detailText`). */
export type Detail =
  /** Why it failed, as whoever failed said it; and what was kept before details had codes. */
  | { readonly code: 'words'; readonly text: string }
  | { readonly code: 'waiting' | 'starting' | 'taken-up' | 'cancelled' | 'ended-twice' | 'unexpected' | 'ready' | 'done' }
  | { readonly code: 'copying' | 'mixing' | 'steadying' | 'joining-masters' | 'listening-master' | 'finding-beats' | 'finding-parts' | 'finding-voices' }
  | { readonly code: 'listening'; readonly file: string }
  /** `speed`: times real time. */
  | { readonly code: 'rendering'; readonly leftSeconds: number; readonly speed: number }
  | { readonly code: 'comparing'; readonly what: 'timecode' | 'light' | 'clocks' | 'takes' }
  | { readonly code: 'files-heard' | 'pairs-compared'; readonly done: number; readonly of: number }
  | { readonly code: 'files-looked-at'; readonly files: number }
  | { readonly code: 'lined-up'; readonly sure: number; readonly check: number; readonly loose: number }
  /** By how much pictures were enlarged, 0.1 = a tenth. */
  | { readonly code: 'steadied'; readonly zoom: number }
  | { readonly code: 'not-near' | 'not-at-speed' }
  | { readonly code: 'originals'; readonly found: readonly string[]; readonly missing: readonly string[] }
  | { readonly code: 'beats'; readonly beats: number; readonly bars: number }
  | { readonly code: 'parts'; readonly parts: number; readonly loud: number }
  | { readonly code: 'phrases'; readonly phrases: number; readonly seconds: number }

export type DetailCode = Detail['code']
