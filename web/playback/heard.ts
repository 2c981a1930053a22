/** Sound that was not computed cannot be heard: where it falters the clock does not run further ahead of it, s. */
const FALTERING = 0.25

/**
 * What leaves the loudspeaker at an instant, where the browser tells it; else the audio clock less its stated delay. Just
 * after its sound has begun a browser may tell a second of it with no time at which that was: that would be long ago.
 * @param at of the page's clock, ms
 * @returns second of the audio clock
 */
export function heardAt(context: AudioContext, at = performance.now()): number {
  const { contextTime = 0, performanceTime = 0 } = context.getOutputTimestamp()
  if (contextTime <= 0 || performanceTime <= 0) return context.currentTime - (context.baseLatency || 0)
  return Math.min(contextTime + (at - performanceTime) / 1000, context.currentTime + FALTERING)
}
