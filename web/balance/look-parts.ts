import { type InputTable, isPlain, type Look, type LookNumber, type Vignette } from '@pendolo/core/picture'

/** A look with another vignette, or none. */
export function withVignette(look: Look | undefined, vignette: Vignette | null): Look {
  const { vignette: _, ...rest } = look ?? {}
  return vignette ? { ...rest, vignette } : rest
}

/** A look whose pictures go through another table first, or none. */
export function withInput(look: Look | undefined, input: InputTable | null): Look {
  const { input: _, ...rest } = look ?? {}
  return input ? { input, ...rest } : rest
}

/** A look with one number changed; null where nothing is changed any more. */
export function changedLook(look: Look | undefined, key: LookNumber, value: number, none: number): Look | null {
  const { [key]: _, ...rest } = look ?? {}
  const next: Look = value === none ? rest : { ...rest, [key]: value }
  return isPlain(next) ? null : next
}

/** A look with another balance. */
export function rebalanced(look: Look | undefined, { warmth = 0, tint = 0 }: Pick<Look, 'warmth' | 'tint'>): Look | null {
  const hundredths = (x: number) => Math.round(100 * x) / 100
  return changedLook(changedLook(look, 'warmth', hundredths(warmth), 0) ?? undefined, 'tint', hundredths(tint), 0)
}
