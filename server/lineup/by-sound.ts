import { type Fact, type FactCode, inWords, type SoundPlacement } from '@pendolo/core/lineup'
import { channelFile } from '../media/findings.ts'
import { type Outcome, placementOf } from './outcome.ts'
import { type Recording, soundUsable } from './recordings.ts'
import { attempt, type Round, type Trial } from './round.ts'

const NOT_HEARD = { usable: false, sound: null, file: '' }

/** Hears every recording and searches it on the master, as many at once as there are threads. */
export async function placeBySoundAll(round: Round): Promise<void> {
  const { recordings, tools } = round
  let done = 0
  // A search at every speed takes long: what is under way counts too.
  const shares = new Map<Recording, number>()
  const tell = () => {
    const open = [...shares.values()].reduce((sum, s) => sum + s, 0)
    tools.onProgress((0.8 * (done + open)) / recordings.length, { code: 'files-heard', done, of: recordings.length })
  }
  const queue = [...recordings]
  const lane = async () => {
    for (let next = queue.shift(); next; next = queue.shift()) {
      const recording = next
      await hear(round, recording, (share) => {
        shares.set(recording, share)
        tell()
      })
      shares.delete(recording)
      done++
      tell()
    }
  }
  await Promise.all(Array.from({ length: tools.analysis.threads }, lane))
}

async function hear(round: Round, recording: Recording, onShare: (share: number) => void): Promise<void> {
  const heard = await attempt(recording, () => place(round, recording, onShare))
  const { usable, sound, file } = 'failed' in heard ? NOT_HEARD : heard.value
  const trial: Trial = { recording, usable, sound, file, outcome: { placement: null, why: [], proof: null } }
  round.trials.push(trial)
  await round.report(trial, 'failed' in heard ? { placement: null, why: inWords(heard.failed), proof: null } : soundOutcome(round, recording, sound, usable))
}

async function place(round: Round, recording: Recording, onShare: (share: number) => void): Promise<Pick<Trial, 'usable' | 'sound' | 'file'>> {
  const { wishes, masterSound } = round
  const heard = await round.listenTo(recording)
  const usable = soundUsable(recording, heard?.findings ?? null)
  let sound: SoundPlacement | null = null
  let file = heard?.file ?? ''
  if (round.ways.has('sound') && masterSound && heard && usable) {
    sound = await round.search(file, wishes, onShare)
    // Where the channels hold different things, one of them may fit where their mix does not.
    for (const channel of heard.findings.others ?? []) {
      if (sound.verdict === 'sure') break
      const own = channelFile(heard.file, channel)
      const found = await round.search(own, wishes)
      if (!fitsBetter(found, sound)) continue
      sound = { ...found, why: [...found.why, { code: 'channel', channel: channel + 1 }] }
      file = own
    }
  }
  return { usable, sound, file }
}

const RANK = { sure: 2, check: 1, loose: 0 }

function fitsBetter(a: SoundPlacement, b: SoundPlacement): boolean {
  return RANK[a.verdict] > RANK[b.verdict] || (a.verdict === b.verdict && a.verdict === 'check' && a.confidence > b.confidence)
}

function soundOutcome({ ways }: Round, recording: Recording, sound: SoundPlacement | null, usable: boolean): Outcome {
  if (sound && sound.verdict !== 'loose' && sound.startSeconds !== null)
    return {
      placement: placementOf('sound', sound.verdict, sound.startSeconds, sound.rate, sound.why, sound.confidence, sound.proof),
      why: [],
      proof: sound.proof,
    }
  const nothing = (): FactCode => {
    if (!ways.has('sound')) return 'not-found'
    if (!recording.facts.audio) return 'clip-without-sound'
    return usable ? 'master-without-sound' : 'clip-silent-or-short'
  }
  return { placement: null, why: sound?.why ?? [{ code: nothing() } as Fact], proof: sound?.proof ?? null }
}
