import type { FileFacts } from '@pendolo/core/project'
import { type Phrase, phrasesOf, type SoundTraits, SPEECH_RATE, type Span, spansOf, speakersOf, TraitReader } from '@pendolo/core/speech'
import type { Config } from '../config.ts'
import { type ChannelOf, eachMonoTold } from './mono.ts'
import { VoiceListener } from './voice.ts'

export interface SpeechEstimate {
  readonly phrases: Phrase[]
  readonly spans: Span[]
}

/** A microphone's file and its place: master time = start + rate × the file's own. */
export interface MicrophoneFile {
  readonly file: string
  readonly facts: FileFacts
  readonly start: number
  readonly rate: number
  /** The channel of the recorder that it went to; absent: all of the file. */
  readonly only?: ChannelOf
}

/** Traits and voice of a recording, heard as it is decoded. */
export async function hearVoice(
  config: Config,
  file: string,
  facts: FileFacts,
  onProgress: (share: number) => void = () => undefined,
): Promise<{ traits: SoundTraits; voice: Float32Array }> {
  const reader = new TraitReader()
  const listener = new VoiceListener()
  await eachMonoTold(
    config,
    file,
    facts,
    SPEECH_RATE,
    (samples) => {
      reader.push(samples)
      return listener.push(samples)
    },
    onProgress,
  )
  return { traits: reader.finish(), voice: await listener.finish() }
}

/** Who speaks when, and what else there is to hear. */
export async function hearSpeech(
  config: Config,
  file: string,
  facts: FileFacts,
  microphones: readonly MicrophoneFile[],
  onProgress: (share: number) => void = () => undefined,
): Promise<SpeechEstimate> {
  // Listening for a voice takes about ten times as long as reading the levels of a microphone.
  const whole = 10 + microphones.length
  const { traits, voice } = await hearVoice(config, file, facts, (share) => onProgress((10 * share) / whole))
  const spans = spansOf(traits, voice)
  const heard: { traits: SoundTraits; start: number; rate: number }[] = []
  for (const [i, m] of microphones.entries()) {
    const reader = new TraitReader()
    await eachMonoTold(
      config,
      m.file,
      m.facts,
      SPEECH_RATE,
      (samples) => reader.push(samples),
      (share) => onProgress((10 + i + share) / whole),
      m.only,
    )
    heard.push({ traits: reader.finish(), start: m.start, rate: m.rate })
  }
  onProgress(1)
  return { phrases: speakersOf(phrasesOf(traits, voice, spans), heard), spans }
}
