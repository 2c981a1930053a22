import { applyEdits, emptyProject, type FileFacts, type PictureException } from '../project/index.ts'
import { flicks, frameStart } from '../time/index.ts'
import { type ExchangeFile, layOut, writeEdl, writeOtio } from './index.ts'
import { pacedCut } from './paced.ts'

const RATE = { num: 25, den: 1 }
const facts: FileFacts = {
  durationSeconds: 20,
  container: 'mov',
  video: { codec: 'h264', width: 1920, height: 1080, rate: RATE, variableRate: false, startSeconds: 0, frames: 500, pixelAspect: '1:1' },
  audio: { codec: 'pcm', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 },
  timecode: null,
  recordedAt: null,
  camera: null,
}
const files = new Map(['m', 'a', 'b'].map((id): [string, ExchangeFile] => [id, { id, name: `${id}.mov`, path: `/show/${id}.mov`, facts }]))
const at = (frame: number) => frameStart(frame, RATE)
const pace = (id: string, angleId: string, from: number, to: number, start: number, end = start): PictureException => ({
  id,
  angleId,
  from: at(from),
  to: at(to),
  pace: { start, end },
})

function show(...exceptions: PictureException[]) {
  const placement = { start: flicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false } as const
  const { doc } = applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: ['a', 'b'].map((id, hue) => ({ id, name: id, hue, framing: 'fit' as const })),
      clips: [
        { id: 'm', fileId: 'm', angleId: null, state: 'in' },
        { id: 'a', fileId: 'a', angleId: 'a', state: 'in' },
        { id: 'b', fileId: 'b', angleId: 'b', state: 'in' },
      ],
    },
    { type: 'setMaster', clipId: 'm' },
    { type: 'place', by: 'hand', placements: { a: placement, b: placement }, loose: {} },
    { type: 'choose', cutId: 'cut', time: at(0), choice: { angleId: 'a' } },
    { type: 'choose', cutId: 'cut', time: at(200), choice: { angleId: 'b' } },
    { type: 'exceptions', exceptions },
  ])
  return layOut('Show', doc, files)
}
const told = (exchange: ReturnType<typeof show>) => pacedCut(exchange).map((s) => [s.fromFrame, s.frames, s.source?.firstFrame, s.pace ?? 1])

test('the cut is divided where pictures run at another speed, each run from the frame that is seen there', () => {
  expect(told(show())).toEqual([
    [0, 200, 0, 1],
    [200, 300, 200, 1],
  ])
  expect(told(show(pace('s', 'a', 50, 100, 0.5), pace('f', 'b', 300, 340, 2), pace('0', 'b', 400, 410, 0)))).toEqual([
    [0, 50, 0, 1],
    [50, 50, 50, 0.5],
    [100, 100, 100, 1],
    [200, 100, 200, 1],
    [300, 40, 300, 2],
    [340, 60, 340, 1],
    [400, 10, 400, 0],
    [410, 90, 410, 1],
  ])
  // A stretch of an angle that is not seen there divides nothing, nor does one that is only corrected.
  expect(told(show(pace('s', 'b', 50, 100, 0.5), { id: 'l', angleId: 'a', from: at(20), to: at(30), look: { exposure: 1 } }))).toHaveLength(2)
})

test('a speed that changes is told in steps that follow each other, without a gap in what is seen', () => {
  const cut = pacedCut(show(pace('r', 'a', 40, 100, 2, 0.5))).filter((s) => s.ramp)
  expect(cut.map((s) => s.frames)).toEqual([12, 12, 12, 12, 12])
  const paces = cut.map((s) => s.pace as number)
  expect(paces.every((p, i) => i === 0 || p < paces[i - 1])).toBe(true)
  let seen = 40
  for (const { source, frames, pace: speed = 1 } of cut) {
    expect(Math.abs((source?.firstFrame ?? 0) - seen)).toBeLessThanOrEqual(1)
    seen += frames * speed
  }
})

test('both exchange files say how fast', () => {
  const exchange = show(pace('s', 'a', 50, 100, 0.5), pace('0', 'a', 120, 130, 0), pace('r', 'b', 300, 324, 1, 3))
  const { tracks } = JSON.parse(writeOtio(exchange)) as {
    tracks: {
      children: {
        name: string
        children: { source_range: { start_time: { value: number }; duration: { value: number } }; effects: { OTIO_SCHEMA: string; time_scalar: number }[] }[]
      }[]
    }
  }
  const clips = tracks.children.find((t) => t.name.startsWith('Cut'))?.children ?? []
  const effect = (start: number) => clips.find((c) => c.source_range.start_time.value === start)?.effects[0]
  expect(effect(50)).toMatchObject({ OTIO_SCHEMA: 'LinearTimeWarp.1', time_scalar: 0.5 })
  expect(effect(120)).toMatchObject({ OTIO_SCHEMA: 'FreezeFrame.1', time_scalar: 0 })
  expect(clips.reduce((sum, c) => sum + c.source_range.duration.value, 0)).toBe(500)
  const lines = writeEdl(exchange).split('\r\n')
  const event = (record: string) => lines.findIndex((l) => /^\d{3}/.test(l) && l.split(/ +/)[6] === record)
  expect(lines[event('00:00:02:00')]).toContain('00:00:02:00 00:00:03:00 00:00:02:00 00:00:04:00')
  expect(lines[event('00:00:02:00') + 1]).toMatch(/^M2 {3}A {14}012\.5 +00:00:02:00$/)
  expect(lines[event('00:00:04:20') + 1]).toMatch(/^M2 .* 000\.0 /)
})
