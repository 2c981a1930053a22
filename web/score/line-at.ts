/** So far the line goes at once while it runs, CSS pixels: each step costs the page a frame of its own, and the pictures have to wait for it. */
const STEP = 2

/**
 * Where the playhead's line stands: on whole pixels of the screen, for a smaller step only blurs it; running it goes two at once.
 * @param x where it would be, CSS pixels
 * @param ratio pixels of the screen to one of them
 */
export function lineAt(x: number, ratio: number, runs: boolean): number {
  const step = runs ? Math.max(STEP, 1 / ratio) : 1 / ratio
  return Math.round(x / step) * step
}
