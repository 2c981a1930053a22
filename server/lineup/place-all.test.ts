import { whyText } from '@pendolo/api'
import { type Candidate, inWords, type LightPlacement, type SoundPlacement } from '@pendolo/core/lineup'
import type { FileFacts } from '@pendolo/core/project'
import type { Analysis } from '../analysis.ts'
import { MediaError } from '../media/words.ts'
import { type Outcome, secondsOf } from './outcome.ts'
import { placeAll } from './place-all.ts'
import type { Placed, Recording } from './recordings.ts'
import type { LineUpWishes, Near } from './round.ts'

const VIDEO = { codec: 'h264', width: 1920, height: 1080, rate: { num: 25, den: 1 }, variableRate: false, startSeconds: 0, frames: 1500, pixelAspect: '1:1' }
const AUDIO = { codec: 'aac', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 }

function recording(id: string, over: Partial<FileFacts> = {}): Recording {
  const facts = { durationSeconds: 60, container: 'mov', video: VIDEO, audio: AUDIO, timecode: null, recordedAt: null, camera: null, ...over }
  return { id, name: id, path: `/${id}`, contentKey: id, facts }
}

const candidate = (startSeconds: number, support = 20): Candidate => ({ startSeconds, rate: 1, support, agreeing: 12, windows: 12 })

function heard(verdict: SoundPlacement['verdict'], start: number | null, rivals: Candidate[] = []): SoundPlacement {
  const chosen = start === null ? null : candidate(start)
  const proof = { chosen, rivals, rivalRatio: 0, windows: [], curve: [], curveStart: 0, curveStep: 1, invertedPolarity: false }
  return { verdict, startSeconds: start, rate: 1, confidence: 0.9, why: inWords(verdict === 'loose' ? 'nothing matches' : 'by sound'), proof }
}

interface Script {
  /** What hearing a clip on a ground says; `near` when it was asked for a place. */
  readonly hear?: (clip: string, ground: string, near: Near | null) => SoundPlacement
  readonly light?: (clip: string) => LightPlacement
  /** Where the joined sound of several masters begins. */
  readonly joinedAt?: number
}

/** Runs the line-up with scripted ears and eyes; the order of proof is what is tested. */
async function lineUp(recordings: Recording[], script: Script, wishes: LineUpWishes = {}, known: Placed[] = []) {
  const master = recording('master', { video: null, durationSeconds: 100, recordedAt: '2026-05-02T19:30:00Z', timecode: null, timeReference: 36000 * 48000 })
  const told: [string, Outcome][] = []
  const analysis = {
    threads: 1,
    run: async (task: { kind: string; clipSound: string; masterSound: string; near: Near | null; clip: { file: string } }) =>
      task.kind === 'light'
        ? (script.light?.(task.clip.file) ?? {
            verdict: 'loose',
            startSeconds: null,
            rate: 1,
            why: inWords('no light'),
            proof: null,
            events: 0,
            matched: 0,
            rivalRatio: 0,
          })
        : (script.hear?.(task.clipSound, task.masterSound, task.near) ?? heard('loose', null)),
  } as unknown as Analysis
  const { outcomes } = await placeAll([{ recording: master, startSeconds: 0, rate: 1 }, ...known], recordings, wishes, {
    analysis,
    sound: async (r) => {
      if (r.id.startsWith('damaged')) throw new MediaError(`${r.id} is cut off`)
      if (r.id.startsWith('crash')) throw new RangeError('Invalid typed array length: -1')
      return r.facts.audio ? { file: r.id, findings: { silent: false, emptyChannel: null, timecode: null, others: r.id.endsWith('.s16') ? [1, 2] : [] } } : null
    },
    luma: async (r) => (r.facts.video ? r.id : null),
    ...(script.joinedAt !== undefined && { joined: async () => ({ file: 'joined', startSeconds: script.joinedAt ?? 0, durationSeconds: 200 }) }),
    onOutcome: async (r, outcome) => void told.push([r.id, outcome]),
    onProgress: () => undefined,
  })
  const of = (id: string) => {
    const { placement, why } = outcomes.get(id) as Outcome
    return placement ? { ...secondsOf(placement), method: placement.method, verdict: placement.verdict, why: whyText(placement.why) } : { why: whyText(why) }
  }
  return { of, told, outcomes }
}

const silent = { audio: null } as const

test('one that cannot be read is told by name, and the others are placed all the same', async () => {
  const { of } = await lineUp([recording('damaged.mov'), recording('good.mov'), recording('crash.mov'), recording('last.mov')], {
    hear: () => heard('sure', 12),
  })
  expect(of('damaged.mov').why).toMatch(/^damaged\.mov is cut off/)
  expect(of('crash.mov').why).toMatch(/^crash\.mov could not be compared/)
  for (const name of ['good.mov', 'last.mov']) expect(of(name)).toMatchObject({ verdict: 'sure', startSeconds: 12 })
})

describe('several recordings that are the master together', () => {
  const second = { recording: recording('desk-2', silent), startSeconds: -40, rate: 1 }

  test('clips are searched on their joined sound, and lie on the master’s time wherever that begins', async () => {
    const asked: [string, unknown][] = []
    const script: Script = {
      joinedAt: -40,
      hear: (_, master, near) => {
        asked.push([master, near])
        return heard('sure', 52, [candidate(90)])
      },
    }
    const { of, outcomes } = await lineUp([recording('a')], script, { near: { startSeconds: 11, tolerance: 3 } }, [second])
    expect(asked).toEqual([['joined', { startSeconds: 51, tolerance: 3 }]])
    expect(of('a')).toMatchObject({ startSeconds: 12, verdict: 'sure' })
    expect(outcomes.get('a')?.proof).toMatchObject({ chosen: { startSeconds: 12 }, rivals: [{ startSeconds: 50 }], curveStart: -40 })
  })

  test('what any of them covers is never found through others', async () => {
    const far = { recording: recording('far', { durationSeconds: 300 }), startSeconds: 100, rate: 1 }
    const script: Script = { joinedAt: -40, hear: (clip, ground) => (clip === 'x' && ground === 'far' ? heard('sure', 10) : heard('loose', null)) }
    const { of } = await lineUp([recording('x')], script, {}, [second, far])
    expect(of('x')).toMatchObject({
      startSeconds: 110,
      method: 'through',
      verdict: 'check',
      why: expect.stringContaining('the master, which covers it for 50 s'),
    })
  })
})

describe('channels that hold different things', () => {
  test('one of them places what their mix does not, and that is said', async () => {
    const { of } = await lineUp([recording('two.s16')], { hear: (clip) => (clip === 'two.c2.s16' ? heard('sure', 12) : heard('loose', null)) })
    expect(of('two.s16')).toMatchObject({ startSeconds: 12, method: 'sound', verdict: 'sure', why: 'by sound; by its channel 3 alone' })
  })

  test('they are not asked when the mix is sure', async () => {
    const asked: string[] = []
    await lineUp([recording('two.s16')], {
      hear: (clip) => {
        asked.push(clip)
        return heard('sure', 12)
      },
    })
    expect(asked).toEqual(['two.s16'])
  })

  test('what is only to be checked by one of them does not replace a check by the mix that is surer', async () => {
    const { of } = await lineUp([recording('two.s16')], {
      hear: (clip) => (clip === 'two.s16' ? { ...heard('check', 5), confidence: 0.6 } : { ...heard('check', 40), confidence: 0.4 }),
    })
    expect(of('two.s16')).toMatchObject({ startSeconds: 5, verdict: 'check' })
  })
})

describe('sound from afar', () => {
  test('a camera whose timecode lies a few frames later than its sound is told how far away it stood', async () => {
    const { of, told } = await lineUp([recording('far', { timecode: '10:00:30:03' })], { hear: () => heard('sure', 30) })
    expect(of('far')).toMatchObject({
      startSeconds: 30,
      verdict: 'sure',
      why: expect.stringContaining('120 ms later than its sound, which came from about 41 m'),
    })
    expect(told.at(-1)?.[1].proof?.late).toEqual({ seconds: expect.closeTo(0.12, 5), by: 'timecode' })
  })

  test.each(['10:00:30:00', '10:00:30:01', '10:00:29:20', '10:00:31:00'])('timecode %s says nothing about distance', async (timecode) => {
    const { told } = await lineUp([recording('near', { timecode })], { hear: () => heard('sure', 30) })
    expect(told.at(-1)?.[1].proof?.late).toBeUndefined()
  })

  test('by light too, when it is asked for, and the place by sound stays', async () => {
    const light = () => ({ verdict: 'sure', startSeconds: 30.2, why: inWords('by light'), events: 9, matched: 9, rivalRatio: 0 }) as LightPlacement
    const { of, told } = await lineUp([recording('far')], { hear: () => heard('sure', 30), light }, { ways: ['sound', 'light'] })
    expect(of('far')).toMatchObject({ startSeconds: 30, method: 'sound', why: expect.stringContaining('its light lies 200 ms later') })
    expect(told.at(-1)?.[1].proof?.late?.by).toBe('light')
  })
})

describe('the order of proof', () => {
  test('sound that is sure wins, and timecode is only heard as a witness', async () => {
    const { of } = await lineUp([recording('a', { timecode: '10:00:30:00' }), recording('b', { timecode: '10:00:12:00' })], {
      hear: (clip) => heard('sure', clip === 'a' ? 30 : 50),
    })
    expect(of('a')).toMatchObject({ startSeconds: 30, method: 'sound', verdict: 'sure', why: expect.stringContaining('timecode agrees') })
    expect(of('b')).toMatchObject({ startSeconds: 50, method: 'sound', why: expect.stringContaining('its timecode says −38.00 s') })
  })

  test('where sound fails, it is searched near the timecode; only then is the place sure', async () => {
    const { of } = await lineUp([recording('a', { timecode: '10:00:30:00' }), recording('b', { timecode: '10:00:40:00' })], {
      hear: (clip, _, near) => (near && clip === 'a' ? heard('check', 30.02) : heard('loose', null)),
    })
    expect(of('a')).toMatchObject({
      startSeconds: expect.closeTo(30.02, 6),
      method: 'sound',
      verdict: 'sure',
      why: expect.stringContaining('near its timecode'),
    })
    // Both the master and the first camera lead here, two hundredths apart.
    expect(of('b')).toMatchObject({
      startSeconds: expect.closeTo(40.01, 6),
      method: 'timecode',
      verdict: 'sure',
      why: expect.stringContaining('through 2 recordings'),
    })
  })

  test('places that fit equally are settled by timecode where it can mean just one', async () => {
    const rivals = [candidate(38, 19), candidate(22, 18)]
    const { of } = await lineUp([recording('a', { timecode: '10:00:38:05' }), recording('b')], { hear: () => heard('check', 30, rivals) })
    expect(of('a')).toMatchObject({ startSeconds: 38, verdict: 'sure', why: expect.stringContaining('of 3 places that fit') })
    expect(of('b')).toMatchObject({ startSeconds: 30, verdict: 'check' })
  })

  test('cameras that were set together settle together what their sound leaves open, and then carry a silent one', async () => {
    const clips = [
      recording('a', { timecode: '20:00:30:00' }),
      recording('b', { timecode: '20:00:55:00' }),
      recording('c', { ...silent, timecode: '20:01:10:00' }),
    ]
    const open: Record<string, Candidate[]> = { a: [candidate(30, 19), candidate(46, 19)], b: [candidate(55, 19), candidate(91, 19)] }
    const hear = (clip: string, _: string, near: Near | null) =>
      open[clip] && !near ? heard('check', clip === 'a' ? 38 : 74, open[clip]) : heard('loose', null)
    const { of, outcomes } = await lineUp(clips, { hear })
    expect(of('a')).toMatchObject({ startSeconds: 30, verdict: 'sure', why: expect.stringContaining('set together') })
    expect(of('b')).toMatchObject({ startSeconds: 55, verdict: 'sure' })
    expect(of('c')).toMatchObject({ startSeconds: expect.closeTo(70, 6), method: 'timecode', verdict: 'sure' })
    expect(outcomes.get('c')?.proof).toMatchObject({ by: 'timecode', chosen: { agreeing: 2, windows: 3 }, rivals: [{ agreeing: 1 }] })
  })

  test('but not where a repetition shifts all of them alike', async () => {
    const clips = [recording('a', { timecode: '20:00:30:00' }), recording('b', { timecode: '20:00:55:00' })]
    const open: Record<string, Candidate[]> = { a: [candidate(38, 19)], b: [candidate(63, 19)] }
    const { of } = await lineUp(clips, {
      hear: (clip, _, near) => (near ? heard('loose', null) : heard('check', open[clip][0].startSeconds - 8, open[clip])),
    })
    for (const name of ['a', 'b']) expect(of(name)).toMatchObject({ verdict: 'check' })
  })

  test('light places a silent camera but not one whose sound belongs nowhere, unless asked', async () => {
    const light = () => ({
      verdict: 'sure' as const,
      startSeconds: 12,
      rate: 1.00002,
      why: inWords('by light'),
      proof: null,
      events: 9,
      matched: 8,
      rivalRatio: 0.2,
    })
    const clips = [recording('sounding'), recording('silent', silent), recording('foreign')]
    const hear = (clip: string) => (clip === 'sounding' ? heard('sure', 5) : heard('loose', null))
    const usual = await lineUp(clips, { hear, light })
    expect(usual.of('silent')).toMatchObject({ method: 'light', startSeconds: 12, rate: 1.00002 })
    expect(usual.of('foreign')).toEqual({ why: 'nothing matches' })
    const asked = await lineUp(clips, { hear, light }, { ways: ['sound', 'light'] })
    expect(asked.of('foreign')).toMatchObject({ method: 'light' })
  })

  test('clocks place a silent camera roughly, a sounding one only with its sound', async () => {
    const at = (second: number) => ({ recordedAt: `2026-05-02T19:30:${String(second).padStart(2, '0')}Z` })
    const { of } = await lineUp([recording('a', at(20)), recording('dumb', { ...silent, ...at(35) }), recording('deaf', at(40)), recording('found', at(50))], {
      hear: (clip, _, near) => (clip === 'a' ? heard('sure', 20) : clip === 'found' && near ? heard('sure', 50.4) : heard('loose', null)),
    })
    expect(of('dumb')).toMatchObject({ method: 'time', verdict: 'check', startSeconds: 35 })
    expect(of('deaf')).toEqual({ why: 'nothing matches' })
    expect(of('found')).toMatchObject({ method: 'sound', verdict: 'sure', startSeconds: expect.closeTo(50.4, 6) })
  })

  test('what the master does not cover hangs on a camera that reaches out of it', async () => {
    const long = recording('long', { durationSeconds: 200 })
    const { of } = await lineUp([long, recording('late'), recording('later', { durationSeconds: 50 }), recording('elsewhere')], {
      hear: (clip, ground) => {
        if (ground === 'master') return clip === 'long' ? heard('sure', 50) : heard('loose', null)
        if (clip === 'late' && ground === 'long') return heard('sure', 130)
        if (clip === 'later' && ground === 'late') return heard('sure', 40)
        return heard('loose', null)
      },
    })
    expect(of('late')).toMatchObject({ method: 'through', startSeconds: expect.closeTo(180, 5), why: expect.stringContaining('long') })
    expect(of('later')).toMatchObject({ method: 'through', startSeconds: expect.closeTo(220, 5) })
    expect(of('elsewhere')).toEqual({ why: 'nothing matches' })
  })

  test('two that fit each other but nothing else are told so', async () => {
    const { of } = await lineUp([recording('x'), recording('y', { durationSeconds: 50 })], {
      hear: (_, ground) => (ground === 'x' ? heard('sure', 3) : heard('loose', null)),
    })
    expect(of('x').why).toContain('it fits y, but none of them lies on the master')
  })

  test('the first frame is a last resort that must be asked for', async () => {
    expect((await lineUp([recording('a', silent)], {})).of('a')).toEqual({ why: expect.stringContaining('no sound in this file') })
    expect((await lineUp([recording('a', silent)], {}, { ways: ['first-frame'] })).of('a')).toMatchObject({
      method: 'first-frame',
      verdict: 'check',
      startSeconds: expect.closeTo(0, 9),
    })
  })

  test('outcomes are told clip by clip, and what lies already is a reference', async () => {
    const known = [{ recording: recording('before', { timecode: '10:00:10:00' }), startSeconds: 10, rate: 1 }]
    const { of, told } = await lineUp([recording('a', { ...silent, timecode: '10:00:15:00' })], {}, { ways: ['timecode'] }, known)
    expect(of('a')).toMatchObject({ startSeconds: expect.closeTo(15, 6), method: 'timecode', verdict: 'sure' })
    expect(told.map(([id]) => id)).toEqual(['a', 'a'])
  })
})
