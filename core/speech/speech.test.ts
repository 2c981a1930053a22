import fc from 'fast-check'
import { type Microphone, phrasesOf, type SoundTraits, SPEECH_RATE, type Span, spansOf, speakersOf, TraitReader, VOICE_STEP } from './index.ts'

function random(seed: number): () => number {
  let a = seed
  return () => {
    a = (Math.imul(a, 1664525) + 1013904223) | 0
    return (a >>> 0) / 4294967296 - 0.5
  }
}

const samplesOf = (seconds: number) => new Float32Array(Math.round(seconds * SPEECH_RATE))

/** Something like a voice: a buzz whose pitch and vowels move, in syllables of a fifth of a second. */
function talk(out: Float32Array, from: number, to: number, level = 0.4, seed = 1): void {
  const r = random(seed)
  let phase = 0
  let formant = 700
  for (let i = Math.round(from * SPEECH_RATE); i < to * SPEECH_RATE && i < out.length; i++) {
    const t = i / SPEECH_RATE
    const syllable = (t - from) % 0.21
    if (syllable < 1 / SPEECH_RATE) formant = 700 + 1200 * Math.abs(r())
    const pitch = 120 + 25 * Math.sin(2 * Math.PI * 1.3 * t) + 10 * Math.sin(2 * Math.PI * 4 * t)
    phase += pitch / SPEECH_RATE
    let x = 0
    for (let h = 1; h <= 24; h++) x += Math.exp(-(((h * pitch - formant) / 500) ** 2)) * Math.sin(2 * Math.PI * h * phase)
    out[i] += level * Math.max(0, Math.sin((Math.PI * syllable) / 0.21)) * (0.4 * x + 0.05 * r())
  }
}

function chords(out: Float32Array, from: number, to: number): void {
  for (let i = Math.round(from * SPEECH_RATE); i < to * SPEECH_RATE && i < out.length; i++) {
    const t = i / SPEECH_RATE - from
    const root = [220, 261.6, 196, 174.6][Math.floor(t) % 4]
    for (const step of [0.5, 1, 1.25, 1.5, 2]) out[i] += 0.07 * (0.5 + 0.5 * Math.exp(-(t % 1) / 0.4)) * Math.sin(2 * Math.PI * root * step * t)
  }
}

function clapping(out: Float32Array, from: number, to: number): void {
  const r = random(8)
  for (let n = 0; n < (to - from) * 160; n++) {
    const at = Math.round((from + (r() + 0.5) * (to - from)) * SPEECH_RATE)
    const decay = 40 + 60 * (r() + 0.5)
    for (let i = 0; i < 500 && at + i < out.length; i++) out[at + i] += 0.25 * r() * Math.exp(-i / decay)
  }
}

function hiss(out: Float32Array, level: number): void {
  const r = random(4)
  for (let i = 0; i < out.length; i++) out[i] += level * r()
}

function traitsOf(samples: Float32Array): SoundTraits {
  const reader = new TraitReader()
  // In pieces of odd lengths, as ffmpeg gives them.
  for (let at = 0; at < samples.length; at += 7001) reader.push(samples.subarray(at, at + 7001))
  return reader.finish()
}

/** What a voice model would say when somebody speaks in these stretches. */
function voiceOf(seconds: number, ...spoken: [number, number][]): Float32Array {
  return Float32Array.from({ length: Math.ceil(seconds / VOICE_STEP) }, (_, i) => {
    const t = (i + 0.5) * VOICE_STEP
    return spoken.some(([a, b]) => t >= a && t < b) ? 0.95 : 0.02
  })
}

describe('kinds of sound', () => {
  const total = 50
  const out = samplesOf(total)
  hiss(out, 0.0006)
  talk(out, 2, 12)
  chords(out, 14, 28)
  clapping(out, 30, 38)
  talk(out, 41, 49, 0.4, 3)
  const spans = spansOf(traitsOf(out), voiceOf(total, [2, 12], [41, 49]))

  test('speech, music, applause and silence are told apart', () => {
    const at = (t: number) => spans.find((s) => t >= s.start && t < s.end)?.kind
    expect([0.7, 7, 13, 20, 29, 34, 39.5, 45].map(at)).toEqual(['silence', 'speech', 'silence', 'music', 'silence', 'applause', 'silence', 'speech'])
  })

  test('spans cover the recording without gaps and change within half a second', () => {
    expect(spans[0].start).toBe(0)
    expect(spans.at(-1)?.end).toBeCloseTo(total, 1)
    for (const [i, s] of spans.slice(1).entries()) expect(s.start).toBe(spans[i].end)
    for (const border of [2, 12, 14, 28, 30, 38, 41, 49]) expect(Math.min(...spans.map((s) => Math.abs(s.start - border)))).toBeLessThan(0.6)
  })

  test('a singing voice with chords under it is music, whatever the voice model says', () => {
    const song = samplesOf(20)
    chords(song, 0, 20)
    expect(spansOf(traitsOf(song), voiceOf(20, [3, 5], [9, 11])).map((s) => s.kind)).toEqual(['music'])
  })

  test('digital silence is silence; nothing at all has no spans', () => {
    expect(spansOf(traitsOf(samplesOf(100)), voiceOf(100))).toEqual([{ start: 0, end: expect.closeTo(100, 1), kind: 'silence' }])
    expect(spansOf(traitsOf(samplesOf(0)), new Float32Array(0))).toEqual([])
  })
})

describe('phrases', () => {
  const speech: Span[] = [{ start: 0, end: 30, kind: 'speech' }]
  const build = (...spoken: [number, number][]) => {
    const out = samplesOf(30)
    hiss(out, 0.001)
    for (const [i, [a, b]] of spoken.entries()) talk(out, a, b, 0.4, i + 1)
    return traitsOf(out)
  }

  test('begin where the sound does, though the model hears the voice late', () => {
    const traits = build([2, 5], [6.5, 9])
    const phrases = phrasesOf(traits, voiceOf(30, [2.12, 5.1], [6.6, 9.05]), speech)
    expect(phrases).toHaveLength(2)
    expect(Math.abs(phrases[0].start - 2)).toBeLessThan(0.05)
    expect(Math.abs(phrases[1].start - 6.5)).toBeLessThan(0.05)
    for (const [i, end] of [5, 9].entries()) expect(Math.abs(phrases[i].end - end)).toBeLessThan(0.2)
  })

  test('a short pause belongs to the sentence, a longer one divides', () => {
    const phrases = phrasesOf(build([2, 4], [4.2, 6], [6.6, 8]), voiceOf(30, [2, 4], [4.2, 6], [6.6, 8]), speech)
    expect(phrases.map((p) => Math.round(p.start))).toEqual([2, 7])
  })

  test('what sounds like a voice in music or applause is no phrase', () => {
    const spans: Span[] = [
      { start: 0, end: 10, kind: 'speech' },
      { start: 10, end: 20, kind: 'music' },
      { start: 20, end: 30, kind: 'applause' },
    ]
    const phrases = phrasesOf(build([2, 5], [13, 15], [23, 24]), voiceOf(30, [2, 5], [13, 15], [23, 24]), spans)
    expect(phrases).toHaveLength(1)
  })

  test('a recording without a voice has none', () => {
    expect(phrasesOf(build(), voiceOf(30), speech)).toEqual([])
  })
})

describe('speakers', () => {
  const phrase = (start: number, end: number) => ({ start, end, speaker: null })
  /** Levels in dB of one microphone over time, 10 ms each. */
  const microphone = (level: (t: number) => number, start = 0, rate = 1): Microphone => ({
    traits: { frames: 3000, voiceDb: Float32Array.from({ length: 3000 }, (_, i) => level(start + (rate * i) / 100)) },
    start,
    rate,
  })
  const within = (t: number, ...list: [number, number][]) => list.some(([a, b]) => t >= a && t < b)
  const [ANNA, BRUNO]: [number, number][][] = [
    [
      [1, 4],
      [9, 12],
    ],
    [
      [5, 8],
      [12, 15],
    ],
  ]
  /** Own voice at −20, the other 12 dB lower, the room at −60; `gain` is how far the microphone is turned up. */
  const hears = (own: [number, number][], other: [number, number][], gain: number) => (t: number) =>
    gain + (within(t, ...own) ? -20 : within(t, ...other) ? -32 : -60)
  const phrases = [phrase(1, 4), phrase(5, 8), phrase(9, 15)]

  test('whose microphone leads speaks, also when another is turned up far', () => {
    const mics = [microphone(hears(ANNA, BRUNO, 0)), microphone(hears(BRUNO, ANNA, 14))]
    expect(speakersOf(phrases, mics).map((p) => p.speaker)).toEqual([0, 1, 0, 1])
  })

  test('a phrase is cut where another takes over without a pause', () => {
    const mics = [microphone(hears(ANNA, BRUNO, 0)), microphone(hears(BRUNO, ANNA, 0))]
    const [, , third, fourth] = speakersOf(phrases, mics)
    expect(third.end).toBe(fourth.start)
    expect(Math.abs(third.end - 12)).toBeLessThan(0.11)
  })

  test('a microphone that began later and runs faster is read in its place', () => {
    const mics = [microphone(hears(ANNA, BRUNO, 0), -2, 1.001), microphone(hears(BRUNO, ANNA, 0), 0.5, 0.999)]
    expect(speakersOf(phrases, mics).map((p) => p.speaker)).toEqual([0, 1, 0, 1])
  })

  test('a microphone whose owner never speaks leads nowhere', () => {
    const mics = [microphone(hears(ANNA, BRUNO, 0)), microphone(hears(BRUNO, ANNA, 0)), microphone(hears([], [...ANNA, ...BRUNO], 0))]
    expect(speakersOf(phrases, mics).map((p) => p.speaker)).toEqual([0, 1, 0, 1])
  })

  test('somebody who says little is heard all the same', () => {
    const seldom: [number, number][] = [[13, 13.6]]
    const bruno: [number, number][] = [
      [5, 8],
      [12, 13],
      [13.6, 15],
    ]
    const others = (t: number) => within(t, ...ANNA, ...bruno)
    const mics = [
      microphone(hears(ANNA, [...bruno, ...seldom], 0)),
      microphone(hears(bruno, [...ANNA, ...seldom], 0)),
      microphone((t) => (within(t, ...seldom) ? -20 : others(t) ? -32 : -60)),
    ]
    expect(speakersOf([phrase(13, 13.6), phrase(1, 4), phrase(5, 8)], mics).map((p) => p.speaker)).toEqual([2, 0, 1])
  })

  test('somebody without a microphone is heard alike in all, and is nobody', () => {
    const audience = (t: number) => (within(t, [20, 23]) ? -30 : hears(ANNA, BRUNO, 0)(t))
    const other = (t: number) => (within(t, [20, 23]) ? -30 : hears(BRUNO, ANNA, 0)(t))
    expect(speakersOf([...phrases, phrase(20, 23)], [microphone(audience), microphone(other)]).at(-1)?.speaker).toBeNull()
  })

  test('without microphones nobody is named', () => {
    expect(speakersOf(phrases, [])).toEqual(phrases)
  })
})

describe('whatever is heard', () => {
  /** Levels, voices and characters that jump about as they like. */
  const anything = fc
    .record({
      blocks: fc.array(
        fc.record({
          frames: fc.integer({ min: 1, max: 300 }),
          level: fc.double({ min: -120, max: 0, noNaN: true }),
          held: fc.double({ min: 0, max: 1, noNaN: true }),
          flat: fc.double({ min: 0, max: 1, noNaN: true }),
          voice: fc.double({ min: 0, max: 1, noNaN: true }),
        }),
        { maxLength: 25 },
      ),
    })
    .map(({ blocks }) => {
      const of = (pick: (b: (typeof blocks)[number]) => number) => Float32Array.from(blocks.flatMap((b) => new Array<number>(b.frames).fill(pick(b))))
      const levelDb = of((b) => b.level)
      const traits: SoundTraits = {
        frames: levelDb.length,
        levelDb,
        voiceDb: of((b) => b.level - 3),
        held: of((b) => b.held),
        flatness: of((b) => b.flat),
        low: of((b) => b.flat / 2),
        rise: of((b) => b.held * 3),
      }
      const every = of((b) => b.voice)
      const voice = Float32Array.from(
        { length: Math.ceil(levelDb.length / 100 / VOICE_STEP) },
        (_, i) => every[Math.min(every.length - 1, Math.round(i * VOICE_STEP * 100))],
      )
      return { traits, voice, total: levelDb.length / 100 }
    })

  test('spans cover it from end to end, neighbours differ, and phrases lie inside in order', () => {
    fc.assert(
      fc.property(anything, ({ traits, voice, total }) => {
        const spans = spansOf(traits, voice)
        if (total === 0) return expect(spans).toEqual([])
        expect(spans[0].start).toBe(0)
        expect(spans[spans.length - 1].end).toBe(total)
        for (const [i, s] of spans.slice(1).entries()) {
          expect(s.start).toBe(spans[i].end)
          expect(s.kind).not.toBe(spans[i].kind)
        }
        const phrases = phrasesOf(traits, voice, spans)
        for (const [i, p] of phrases.entries()) {
          expect(p.end).toBeGreaterThan(p.start)
          expect(p.start).toBeGreaterThanOrEqual(i > 0 ? phrases[i - 1].end : 0)
        }
        if (!spans.some((s) => s.kind === 'speech')) expect(phrases).toEqual([])
      }),
      { numRuns: 150 },
    )
  })

  test('telling speakers only divides phrases: no time is lost or told twice', () => {
    fc.assert(
      fc.property(
        anything,
        fc.array(fc.tuple(fc.double({ min: -5, max: 5, noNaN: true }), fc.double({ min: -20, max: 20, noNaN: true })), { maxLength: 4 }),
        ({ traits, voice }, mics) => {
          const phrases = phrasesOf(traits, voice, [{ start: 0, end: 1e6, kind: 'speech' }])
          const microphones = mics.map(([start, gain]) => ({ traits: { frames: traits.frames, voiceDb: traits.voiceDb.map((x) => x + gain) }, start, rate: 1 }))
          const told = speakersOf(phrases, microphones)
          const length = (list: typeof told) => list.reduce((sum, p) => sum + p.end - p.start, 0)
          expect(length(told)).toBeCloseTo(length(phrases), 6)
          for (const [i, p] of told.entries()) {
            if (i > 0) expect(p.start).toBeGreaterThanOrEqual(told[i - 1].end - 1e-9)
            if (p.speaker !== null) expect(p.speaker).toBeLessThan(microphones.length)
          }
        },
      ),
      { numRuns: 80 },
    )
  })
})
