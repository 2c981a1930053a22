import type { Page } from '@playwright/test'

/** A press that somebody meant for an instant of the master, s. */
export interface Meant {
  readonly at: number
  /** Number of the angle, 1 to 9. */
  readonly angle: number
}

/** The same stream of numbers for the same seed, 0..1. */
export function seeded(seed: number): () => number {
  let state = seed
  return () => {
    state = (state * 1664525 + 1013904223) % 2 ** 32
    return state / 2 ** 32
  }
}

/** Lags of a player, ms: normally spread around a mean. */
export function lags(count: number, mean: number, spread: number, seed: number): number[] {
  const random = seeded(seed)
  return Array.from({ length: count }, () => mean + spread * Math.sqrt(-2 * Math.log(random() || 1e-9)) * Math.cos(2 * Math.PI * random()))
}

/** Presses keys in the page as the music plays, each late by its lag; @returns when the last has been pressed */
export async function playAlong(page: Page, presses: readonly Meant[], late: readonly number[]): Promise<void> {
  await page.evaluate(
    async ([list, lag]) => {
      // The clock that is heard, told every few milliseconds; between two looks it runs on.
      for (const [i, { at, angle }] of list.entries()) {
        const due = at + lag[i] / 1000
        while (window.pendolo.health().soundSeconds < due - 0.02) await new Promise((resolve) => setTimeout(resolve, 4))
        const left = due - window.pendolo.health().soundSeconds
        const until = performance.now() + left * 1000
        while (performance.now() < until);
        document.body.dispatchEvent(new KeyboardEvent('keydown', { code: `Digit${angle}`, key: String(angle), bubbles: true }))
      }
    },
    [presses, late] as const,
  )
}
