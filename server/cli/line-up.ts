import { existsSync } from 'node:fs'
import path from 'node:path'
import { whyText } from '@pendolo/api'
import { FASTEST_SPEED, type LtcFindings, SLOWEST_SPEED, type SpeedWish, WAYS, type Way } from '@pendolo/core/lineup'
import { channelsOf } from '@pendolo/core/mix'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { type Command, InvalidArgumentError, Option } from 'commander'
import { Analysis } from '../analysis.ts'
import { type Config, defaultHome, makeConfig } from '../config.ts'
import { type Outcome, secondsOf } from '../lineup/outcome.ts'
import { placeAll } from '../lineup/place-all.ts'
import type { Recording } from '../lineup/recordings.ts'
import type { Near } from '../lineup/round.ts'
import { artefactPath } from '../media/artefacts.ts'
import { contentKey } from '../media/content.ts'
import type { SoundFindings } from '../media/findings.ts'
import { hearTimecode } from '../media/ltc.ts'
import { makeLuma } from '../media/luma.ts'
import { probe } from '../media/probe.ts'
import { makeSound } from '../media/sound.ts'
import { MediaError } from '../media/words.ts'

interface LineUpOptions {
  master: string
  json?: boolean
  way?: Way
  near?: Near
  quick?: boolean
  thorough?: boolean
  speed: SpeedWish
}

function nearOption(text: string): Near {
  const parts = /^(-?\d+(?:\.\d+)?)(?:\s*(?:±|\+-|\+\/-)\s*(\d+(?:\.\d+)?))?$/.exec(text.trim().replace('−', '-'))
  if (!parts) throw new InvalidArgumentError('write where to look like 67.5±3: seconds of the master, and how far around')
  return { startSeconds: Number(parts[1]), tolerance: parts[2] === undefined ? 5 : Number(parts[2]) }
}

function speedOption(text: string): SpeedWish {
  if (text === 'auto' || text === 'any') return text
  const [a, b = '1'] = text.split('/')
  const value = Number(a) / Number(b)
  if (!(value >= SLOWEST_SPEED && value <= FASTEST_SPEED))
    throw new InvalidArgumentError(`a speed is auto, any, or a ratio like 1.5 or 25/24 from ${SLOWEST_SPEED} to ${FASTEST_SPEED}`)
  return value
}

export function addLineUp(program: Command): void {
  program
    .command('line-up')
    .description('place clips on a master recording')
    .requiredOption('--master <file>', 'the recording everything is placed on')
    .option('--json', 'print JSON')
    .addOption(new Option('--way <way>', `only this way; default: all that apply, in the order of proof`).choices(WAYS))
    .option('--near <seconds±tolerance>', 'look only near this start, such as 67.5±3', nearOption)
    .addOption(new Option('--quick', 'weigh the likeliest places (default)').conflicts('thorough'))
    .option('--thorough', 'weigh more places with more windows')
    .option(
      '--speed <ratio>',
      'master seconds in one second of a clip, such as 1.5; auto tries what shooting uses, any also all from 0.25 to 4',
      speedOption,
      'auto' as const,
    )
    .argument('<clip...>', 'files to place')
    .action(async (clips: string[], options: LineUpOptions) => {
      const result = { master: options.master, clips: await lineUp(clips, options) }
      if (options.json) process.stdout.write(`${JSON.stringify(result)}\n`)
      else
        for (const c of result.clips)
          process.stdout.write(
            `${c.verdict.padEnd(6)} ${c.startSeconds === null ? 'not placed' : `${c.startSeconds.toFixed(4)} s × ${c.rate.toFixed(6)}`}  ${c.file}: ${c.why}\n`,
          )
    })
}

/** Where recordings lie on a master by their sound; null for each whose place is not sure. */
export async function placeBySoundOn(config: Config, master: string, files: readonly string[]): Promise<({ startSeconds: number; rate: number } | null)[]> {
  const placed = await lineUp(files, { master, way: 'sound', speed: 1 }, config)
  return placed.map((p) => (p.placed && p.startSeconds !== null ? { startSeconds: p.startSeconds, rate: p.rate } : null))
}

async function lineUp(clips: readonly string[], options: LineUpOptions, config = makeConfig(defaultHome())) {
  const analysis = new Analysis(config)
  try {
    const master = await recordingOf(config, options.master, 'master')
    // The same file may be named twice: each naming has an answer of its own.
    const recordings = await Promise.all(clips.map((file, i) => recordingOf(config, file, `${i}`)))
    if (!master.facts.audio && (options.way ?? 'sound') === 'sound')
      throw new MediaError(`${options.master} has no sound, so nothing can be placed on it by sound`)
    const { outcomes } = await placeAll(
      [{ recording: master, startSeconds: 0, rate: 1 }],
      recordings,
      {
        thorough: options.thorough ?? false,
        speed: options.speed,
        ...(options.way && { ways: waysFor(options.way) }),
        ...(options.near && { near: options.near }),
      },
      {
        analysis,
        sound: (r) => soundOf(config, analysis, r),
        luma: (r) => makeLuma(config, r.path, r.contentKey, r.facts),
        onOutcome: async () => undefined,
        onProgress: () => undefined,
      },
    )
    return recordings.map((r, i) => answer(clips[i], outcomes.get(r.id) as Outcome, options.way))
  } finally {
    await analysis.close()
  }
}

/** Light needs cameras of known place: those are placed by sound first, and the answer is about the others. */
function waysFor(way: Way): Way[] {
  return way === 'light' ? ['sound', 'light'] : [way]
}

async function recordingOf(config: Config, file: string, id: string): Promise<Recording> {
  if (!existsSync(file)) throw new MediaError(`${file} does not exist`)
  const whole = path.resolve(file)
  const [facts, { key }] = await Promise.all([probe(config, whole), contentKey(whole)])
  return { id, name: path.basename(file), path: whole, contentKey: key, facts }
}

const making = new Map<string, Promise<SoundFindings | null>>()

async function soundOf(config: Config, analysis: Analysis, { contentKey: key, path: file, facts }: Recording) {
  if (!facts.audio) return null
  // Two names of one content wait for one making.
  const task = making.get(key) ?? makeSound(config, file, key, facts, { listening: false, steps: analysis.soundSteps() })
  making.set(key, task)
  const findings = await task
  return findings && { file: artefactPath(config, key, 'analysis'), findings }
}

function answer(file: string, { placement, why }: Outcome, way: Way | undefined) {
  const at = placement ? secondsOf(placement) : null
  return {
    file,
    placed: placement?.verdict === 'sure',
    startSeconds: at?.startSeconds ?? null,
    rate: at?.rate ?? 1,
    confidence: placement?.confidence ?? 0,
    method: placement?.method ?? way ?? 'sound',
    verdict: placement?.verdict ?? 'loose',
    why: whyText(placement?.why ?? why),
    facts: placement?.why ?? why,
    ...(placement?.jumps && { jumps: placement.jumps.map((j) => ({ clipSeconds: j.at / FLICKS_PER_SECOND, bySeconds: j.by / FLICKS_PER_SECOND })) }),
  }
}

export function addProbe(program: Command): void {
  program
    .command('probe')
    .description('every fact about a file, timecode in its sound included')
    .option('--json', 'print JSON')
    .argument('<file...>')
    .action(async (files: string[], options: { json?: boolean }) => {
      const config = makeConfig(defaultHome())
      const out = []
      for (const file of files) {
        if (!existsSync(file)) throw new MediaError(`${file} does not exist`)
        const whole = path.resolve(file)
        const facts = await probe(config, whole)
        const { timecode, timeReference, ...rest } = facts
        const channels = Math.min(16, facts.audio ? channelsOf(facts.audio).length : 0)
        let sound: LtcFindings | null = null
        for (let channel = 0; !sound && channel < channels; channel++) sound = await hearTimecode(config, whole, facts, channel, { whole: true })
        out.push({
          file,
          ...rest,
          timecode: {
            file: timecode,
            bwf: timeReference && facts.audio ? timeReference / facts.audio.sampleRate : null,
            sound: sound && {
              first: sound.first,
              atSeconds: sound.atSeconds,
              rate: sound.rate.den === 1 ? `${sound.rate.num}` : `${sound.rate.num}/${sound.rate.den}`,
              dropFrame: sound.dropFrame,
              framesRead: sound.framesRead,
              framesExpected: sound.framesExpected,
              date: sound.date,
              speed: sound.speed,
              jumps: sound.jumps,
            },
          },
        })
      }
      if (options.json) process.stdout.write(`${JSON.stringify(out.length === 1 ? out[0] : out)}\n`)
      else for (const one of out) process.stdout.write(`${JSON.stringify(one, null, 2)}\n`)
    })
}
