import stretchUrl from 'signalsmith-stretch?url'
import makeStretch from 'signalsmith-stretch'

/** A node that moves the pitch of what goes through it, and what it takes for that. */
export interface PitchKeeper {
  readonly node: AudioNode
  /** Seconds by which it is late. */
  readonly latency: number
  /** Brings sound that runs at a speed back to its own pitch. */
  readonly keep: (speed: number) => void
}

/** Made by the Signalsmith Stretch library (MIT), in an audio worklet. */
export async function makePitchKeeper(context: AudioContext): Promise<PitchKeeper> {
  // From a file of our own: the page's rules let no code run that was put together as text.
  makeStretch.moduleUrl = stretchUrl
  const node = await makeStretch(context)
  await node.start()
  const latency = await node.latency()
  return { node, latency, keep: (speed) => void node.schedule({ active: true, semitones: -12 * Math.log2(speed) }) }
}
