import { existsSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { LOOK_STEP, phrasesOf, type SoundTraits, SPAN_KINDS, spansOf, speakersOf, TraitReader } from '../../core/speech/index.ts'
import { VoiceListener } from '../../server/media/voice.ts'
import { decode } from '../cases.ts'
import { type Half, makeEvenings } from './evenings.ts'
import { learnKinds } from './learn.ts'

const FOLDER = path.join('.cache', 'bench', 'speech')

export async function heardOf(file: string): Promise<{ traits: SoundTraits; voice: Float32Array }> {
  const samples = decode(file)
  const reader = new TraitReader()
  reader.push(samples)
  // What the voice model says of a file does not change while the rest is developed.
  const kept = `${file}.voice`
  if (!existsSync(kept) || statSync(kept).mtimeMs < statSync(file).mtimeMs) {
    const listener = new VoiceListener()
    await listener.push(samples)
    writeFileSync(kept, Buffer.from((await listener.finish()).buffer))
  }
  const bytes = readFileSync(kept)
  return { traits: reader.finish(), voice: new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length)) }
}

function traitsOf(file: string): SoundTraits {
  const reader = new TraitReader()
  reader.push(decode(file))
  return reader.finish()
}

/** Phrases, speakers and kinds of sound against the truth. */
export async function benchSpeech(half: Half, learn = false): Promise<void> {
  mkdirSync(FOLDER, { recursive: true })
  const evenings = makeEvenings(FOLDER, half)
  if (learn) await learnKinds(evenings, path.join('core', 'speech', 'kinds.json'))
  const sum = { starts: 0, found: 0, told: 0, spurious: 0, spoken: 0, right: 0, nobody: 0, late: [] as number[] }
  const table = SPAN_KINDS.map(() => SPAN_KINDS.map(() => 0))
  let seconds = 0
  for (const evening of evenings) {
    const { traits, voice } = await heardOf(evening.master)
    const spans = spansOf(traits, voice)
    const phrases = speakersOf(
      phrasesOf(traits, voice, spans),
      evening.mics.map((file) => ({ traits: traitsOf(file), start: 0, rate: 1 })),
    )
    seconds += traits.frames / 100
    const { truth } = evening
    sum.starts += truth.phrases.length
    sum.told += phrases.length
    for (const p of truth.phrases) {
      const near = phrases.reduce((best, q) => (Math.abs(q.start - p.start) < Math.abs(best) ? q.start - p.start : best), Number.POSITIVE_INFINITY)
      if (Math.abs(near) <= 0.15) {
        sum.found++
        sum.late.push(near)
      } else if (process.argv.includes('--tell')) console.log(`${evening.name}: a phrase at ${p.start.toFixed(2)} missed by ${near.toFixed(2)}, ${p.speaker}`)
    }
    for (const q of phrases) {
      if (truth.phrases.some((p) => q.start > p.start - 0.3 && q.start < p.end + 0.1)) continue
      sum.spurious++
      if (process.argv.includes('--tell')) console.log(`${evening.name}: nobody speaks at ${q.start.toFixed(2)}..${q.end.toFixed(2)}`)
    }
    for (const p of truth.phrases)
      for (let t = p.start; t < p.end; t += 0.02) {
        const q = phrases.find((x) => t >= x.start && t < x.end)
        sum.spoken++
        if (q?.speaker === p.speaker) sum.right++
        else if (!q || q.speaker === null) sum.nobody++
      }
    for (let t = 0; t < traits.frames / 100; t += LOOK_STEP / 2) {
      const is = truth.spans.find((s) => t >= s.start && t < s.end)
      const said = spans.find((s) => t >= s.start && t < s.end)
      if (!is || !said || truth.spans.some((s) => Math.abs(t - s.start) < 0.5)) continue
      table[SPAN_KINDS.indexOf(is.kind)][SPAN_KINDS.indexOf(said.kind)]++
    }
  }
  const share = (a: number, b: number) => `${((100 * a) / Math.max(1, b)).toFixed(1)} %`
  sum.late.sort((a, b) => a - b)
  console.log(
    `speech, ${half}: ${evenings.length} evenings of together ${(seconds / 60).toFixed(0)} min; of ${sum.starts} phrases ${share(sum.found, sum.starts)} begin within 150 ms (median ${(1000 * sum.late[sum.late.length >> 1]).toFixed(0)} ms), ${sum.told} told, ${sum.spurious} where nobody speaks; speaker right for ${share(sum.right, sum.spoken)} of speech time, ${share(sum.nobody, sum.spoken)} untold`,
  )
  for (const [i, kind] of SPAN_KINDS.entries()) {
    const all = table[i].reduce((a, b) => a + b, 0)
    console.log(`  ${kind} told as ${SPAN_KINDS.map((k, j) => `${k} ${share(table[i][j], all)}`).join(', ')}`)
  }
}
