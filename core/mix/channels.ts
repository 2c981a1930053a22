import type { Flicks } from '../time/index.ts'

/** Names a channel of a clip: number of the stream and of the channel in it, both from 0. */
export const channelKey = (stream: number, channel: number): string => `${stream}.${channel}`

/** How a channel of sound is placed: in the middle, at a side, or as one side of a stereo pair with the next channel. */
export const CHANNEL_LAYOUTS = ['middle', 'left', 'right', 'pair'] as const
export type ChannelLayout = (typeof CHANNEL_LAYOUTS)[number]

/** What was said of one channel of one stream of a clip; what was not said is as it was found. */
export interface Channel {
  name?: string
  layout?: ChannelLayout
  /** False: nobody downstream hears it. Found, channels of the first stream are on. */
  on?: boolean
  /** Polarity turned. */
  turned?: true
  /** Later by so much. */
  delay?: Flicks
}

/** How many channels the sound of a file has, and what its first stream says of how they lie. */
export interface SoundShape {
  readonly channels: number
  /** Name of the first stream's layout as ffmpeg says it, such as "stereo" or "5.1"; empty where nothing is said. */
  readonly layout: string
  /** Channels of each stream where there are several. */
  readonly streamChannels?: readonly number[]
  /** What the recorder called each channel of the first stream. */
  readonly trackNames?: readonly (string | null)[]
}

/** Where a loudspeaker stands; `alone` is a channel that stands for nothing but itself. */
export type Position = 'FL' | 'FR' | 'FC' | 'LFE' | 'BL' | 'BR' | 'BC' | 'SL' | 'SR' | 'alone'

/** A channel of a file as it was found. */
export interface FoundChannel {
  /** As {@link channelKey} writes it. */
  readonly key: string
  readonly stream: number
  readonly channel: number
  /** Counted from 1 over all streams. */
  readonly number: number
  readonly position: Position
  /** What the recorder called it. */
  readonly name?: string
  /** Linear factors with which it is heard left and right where its stream is. */
  readonly left: number
  readonly right: number
}

/** What a channel gives to the left and right of what is heard, linear. */
export interface HeardChannel {
  readonly stream: number
  readonly channel: number
  /** Counted from 1 over all streams. */
  readonly number: number
  readonly left: number
  readonly right: number
}

/** Channels of the layouts that containers name, in their order. */
const LAYOUTS: Readonly<Record<string, readonly Position[]>> = {
  '2.1': ['FL', 'FR', 'LFE'],
  '3.0': ['FL', 'FR', 'FC'],
  '3.1': ['FL', 'FR', 'FC', 'LFE'],
  '4.0': ['FL', 'FR', 'FC', 'BC'],
  '4.1': ['FL', 'FR', 'FC', 'LFE', 'BC'],
  quad: ['FL', 'FR', 'BL', 'BR'],
  'quad(side)': ['FL', 'FR', 'SL', 'SR'],
  '5.0': ['FL', 'FR', 'FC', 'BL', 'BR'],
  '5.0(side)': ['FL', 'FR', 'FC', 'SL', 'SR'],
  '5.1': ['FL', 'FR', 'FC', 'LFE', 'BL', 'BR'],
  '5.1(side)': ['FL', 'FR', 'FC', 'LFE', 'SL', 'SR'],
  '6.1': ['FL', 'FR', 'FC', 'LFE', 'BC', 'SL', 'SR'],
  '7.0': ['FL', 'FR', 'FC', 'BL', 'BR', 'SL', 'SR'],
  '7.1': ['FL', 'FR', 'FC', 'LFE', 'BL', 'BR', 'SL', 'SR'],
}

/** −3 dB. */
const HALF = Math.SQRT1_2

/** What each loudspeaker gives to the left and right of two (ITU-R BS.775-3, annex 4); the deep one gives nothing. */
const DOWN: Readonly<Record<Exclude<Position, 'alone'>, readonly [number, number]>> = {
  FL: [1, 0],
  FR: [0, 1],
  FC: [HALF, HALF],
  LFE: [0, 0],
  BL: [HALF, 0],
  BR: [0, HALF],
  SL: [HALF, 0],
  SR: [0, HALF],
  BC: [0.5, 0.5],
}

/**
 * All channels of a file, stream by stream, with what each gives where the file is heard as it was found: mono at its own
 * level on both sides, stereo as it is, surround by the standard's matrix, separate microphones of a recorder all in the
 * middle at equal power.
 * @returns in the order of the file; empty where there is no sound
 */
export function channelsOf({ channels, layout, streamChannels = [channels], trackNames = [] }: SoundShape): FoundChannel[] {
  const out: FoundChannel[] = []
  for (const [stream, count] of streamChannels.entries()) {
    const said: readonly Position[] | undefined = count === 2 ? ['FL', 'FR'] : stream === 0 ? LAYOUTS[layout] : undefined
    const known = said?.length === count ? said : null
    for (let channel = 0; channel < count; channel++) {
      const position = known ? known[channel] : 'alone'
      const alone = count === 1 ? 1 : 1 / Math.sqrt(count)
      const [left, right] = position === 'alone' ? [alone, alone] : DOWN[position]
      const name = stream === 0 ? trackNames[channel] : null
      out.push({ key: channelKey(stream, channel), stream, channel, number: out.length + 1, position, ...(name && { name }), left, right })
    }
  }
  return out
}

/** So many channels lie in a track of the copy for listening: what codes without a loss has no more. */
export const MOST_TOGETHER = 8

/**
 * How channels lie in the copy that has them apart: neighbours of a stream together in a track, so that what plays many
 * of them has few to decode.
 * @param channels in the order of the file
 * @returns the channels of each track
 */
export function tracksOf(channels: readonly FoundChannel[]): FoundChannel[][] {
  const tracks: FoundChannel[][] = []
  for (const channel of channels) {
    const open = tracks.at(-1)
    if (open && open[0].stream === channel.stream && open.length < MOST_TOGETHER) open.push(channel)
    else tracks.push([channel])
  }
  return tracks
}

/** Whether a channel is heard: as somebody said, else those of the first stream are. */
export const isOn = (found: FoundChannel, said: Channel | undefined): boolean => said?.on ?? found.stream === 0

/**
 * What is heard of a recording, channel by channel. Switching one off leaves the level of all others as it was; one that
 * was put to a side or into the middle keeps its level there.
 * @param said what was said of channels, by their keys; the others are as they were found
 * @returns those that give something, in the order of the file
 */
export function heardChannels(sound: SoundShape, said: Readonly<Record<string, Channel>>): HeardChannel[] {
  const all = channelsOf(sound)
  return all.flatMap((found, i): HeardChannel[] => {
    const own = said[found.key]
    if (!isOn(found, own)) return []
    const before = i > 0 && all[i - 1].stream === found.stream ? said[all[i - 1].key] : undefined
    // What gives nothing where it was found, such as the deep one of a surround sound, gives all of itself where somebody wants it.
    const level = Math.max(found.left, found.right) || 1
    // The second of a pair is its right side, whatever it says itself.
    const layout = before?.layout === 'pair' ? 'right' : own?.layout
    const sign = own?.turned ? -1 : 1
    const [left, right] =
      layout === undefined ? [found.left, found.right] : [layout === 'right' ? 0 : level, layout === 'left' || layout === 'pair' ? 0 : level]
    if (left === 0 && right === 0) return []
    // Adding nothing makes a zero of what would be less than none.
    return [{ stream: found.stream, channel: found.channel, number: found.number, left: sign * left + 0, right: sign * right + 0 }]
  })
}

/** Whether what is heard of a recording is no longer what was found. */
export function isChanged(sound: SoundShape, said: Readonly<Record<string, Channel>> | undefined): boolean {
  if (!said || Object.keys(said).length === 0) return false
  const [now, found] = [heardChannels(sound, said), heardChannels(sound, {})]
  return now.length !== found.length || now.some((c, i) => c.number !== found[i].number || c.left !== found[i].left || c.right !== found[i].right)
}
