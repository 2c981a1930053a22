import { existsSync } from 'node:fs'
import path from 'node:path'
import type { FileFacts } from '@pendolo/core/project'
import { LEAST_TEMPO, METRES_ASKED, MOST_TEMPO } from '@pendolo/core/pulse'
import { type Command, InvalidArgumentError } from 'commander'
import { type Config, defaultHome, makeConfig } from '../config.ts'
import { probe } from '../media/probe.ts'
import { hearPulse } from '../media/pulse.ts'
import { hearSpeech, type MicrophoneFile } from '../media/speech.ts'
import { MediaError } from '../media/words.ts'
import { placeBySoundOn } from './line-up.ts'

interface PulseOptions {
  json?: boolean
  speech?: boolean
  tempo?: number
  metre?: number
  mic: string[]
}

export function addPulse(program: Command): void {
  program
    .command('pulse')
    .description('beats, bars and parts of a recording; with --speech phrases, speakers and what else is heard')
    .option('--json', 'print JSON')
    .option('--tempo <n>', 'about so many beats a minute', tempo)
    .option('--metre <n>', 'beats a bar', metre)
    .option('--speech', 'listen for speech instead of beats')
    .option('--mic <file>', "somebody's microphone, to tell who speaks; may be given several times", (file: string, files: string[]) => [...files, file], [])
    .argument('<file>')
    .action(async (file: string, options: PulseOptions) => {
      const config = makeConfig(defaultHome())
      if (options.mic.length > 0 && !options.speech) throw new MediaError('--mic goes with --speech')
      const facts = await soundFacts(config, file)
      if (options.speech) await tellSpeech(config, file, facts, options)
      else await tellPulse(config, file, facts, options)
    })
}

function tempo(text: string): number {
  const value = Number(text)
  if (value >= LEAST_TEMPO && value <= MOST_TEMPO) return value
  throw new InvalidArgumentError(`a tempo lies from ${LEAST_TEMPO} to ${MOST_TEMPO} beats a minute`)
}

function metre(text: string): number {
  const value = Number(text)
  if ((METRES_ASKED as readonly number[]).includes(value)) return value
  throw new InvalidArgumentError(`a bar has ${METRES_ASKED.join(', ')} beats`)
}

async function soundFacts(config: Config, file: string): Promise<FileFacts> {
  if (!existsSync(file)) throw new MediaError(`${file} does not exist`)
  const facts = await probe(config, path.resolve(file))
  if (!facts.audio) throw new MediaError(`${file} has no sound`)
  return facts
}

async function tellPulse(config: Config, file: string, facts: FileFacts, { json, tempo: tempoBpm, metre: asked }: PulseOptions): Promise<void> {
  const found = await hearPulse(config, file, facts, { ...(tempoBpm !== undefined && { tempoBpm }), ...(asked !== undefined && { metre: asked }) })
  const result = {
    tempoBpm: found.tempoBpm,
    metre: found.metre,
    confidence: thousandth(found.confidence),
    beats: found.beats,
    downbeats: found.downbeats.map((i) => found.beats[i]),
    sections: found.sections,
    loud: found.loud,
    hits: found.hits,
  }
  if (json) process.stdout.write(`${JSON.stringify(result)}\n`)
  else
    process.stdout.write(
      `${found.beats.length} beats in ${found.downbeats.length} bars, ${found.tempoBpm.toFixed(1)} a minute; parts ${found.sections.map((s) => s.name).join(' ')}\n`,
    )
}

async function tellSpeech(config: Config, file: string, facts: FileFacts, { json, mic }: PulseOptions): Promise<void> {
  const { phrases, spans } = await hearSpeech(config, file, facts, await microphones(config, file, mic))
  const result = {
    phrases: phrases.map((p) => ({ start: thousandth(p.start), end: thousandth(p.end), speaker: p.speaker })),
    spans: spans.map((s) => ({ start: thousandth(s.start), end: thousandth(s.end), kind: s.kind })),
  }
  if (json) process.stdout.write(`${JSON.stringify(result)}\n`)
  else {
    for (const s of result.spans) process.stdout.write(`${s.start.toFixed(2).padStart(9)} … ${s.end.toFixed(2).padStart(9)}  ${s.kind}\n`)
    process.stdout.write(`${result.phrases.length} phrases\n`)
  }
}

/** Microphones in their places; one that cannot be placed for sure is taken to begin with the master, and that is said. */
async function microphones(config: Config, master: string, files: readonly string[]): Promise<MicrophoneFile[]> {
  if (files.length === 0) return []
  const all = await Promise.all(files.map((file) => soundFacts(config, file)))
  const places = await placeBySoundOn(config, master, files)
  return files.map((file, i) => {
    const place = places[i]
    if (!place) process.stderr.write(`pendolo: ${file} could not be placed by its sound; it is taken to begin with ${master}\n`)
    return { file, facts: all[i], start: place?.startSeconds ?? 0, rate: place?.rate ?? 1 }
  })
}

const thousandth = (x: number) => Math.round(x * 1000) / 1000
