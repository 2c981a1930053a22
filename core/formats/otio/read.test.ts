import { OtioError, readOtioPlacements } from './read.ts'

const time = (value: number, rate: number) => ({ OTIO_SCHEMA: 'RationalTime.1', value, rate })
const range = (start: number, duration: number, rate = 25) => ({ OTIO_SCHEMA: 'TimeRange.1', start_time: time(start, rate), duration: time(duration, rate) })
const gap = (frames: number) => ({ OTIO_SCHEMA: 'Gap.1', source_range: range(0, frames) })
const media = (url: string, start = 0, rate = 25) => ({ OTIO_SCHEMA: 'ExternalReference.1', target_url: url, available_range: range(start, 10_000, rate) })
const clip = (source: object, reference: object, over: object = {}) => ({
  OTIO_SCHEMA: 'Clip.1',
  name: 'clip',
  source_range: source,
  media_reference: reference,
  effects: [],
  ...over,
})
const track = (...children: object[]) => ({ OTIO_SCHEMA: 'Track.1', kind: 'Video', children })
const timeline = (...tracks: object[]) => JSON.stringify({ OTIO_SCHEMA: 'Timeline.1', tracks: { OTIO_SCHEMA: 'Stack.1', children: tracks } })

const placesIn = (text: string) => readOtioPlacements(text).map(({ fileName, startSeconds, rate }) => ({ fileName, startSeconds, rate }))

describe('places in an OpenTimelineIO file', () => {
  test('sources of one name in different folders are apart, with their lengths and what is used of them', () => {
    const text = timeline(track(clip(range(50, 25), media('file:///left/C0001.mp4')), gap(25), clip(range(0, 100), media('file:///right/C%30001.mp4'))))
    expect(readOtioPlacements(text)).toEqual([
      { fileName: 'C0001.mp4', startSeconds: -2, rate: 1, address: 'file:///left/C0001.mp4', lastsSeconds: 400, endsSeconds: 3 },
      { fileName: 'C0001.mp4', startSeconds: 2, rate: 1, address: 'file:///right/C0001.mp4', lastsSeconds: 400, endsSeconds: 4 },
    ])
  })

  test('gaps and clips before it tell where a source lies; its range is counted from the media’s own start', () => {
    const text = timeline(track(gap(100), clip(range(90_050, 50), media('file:///cards/a%20b.mov', 90_000)), clip(range(10, 25), media('c.mp4'))))
    expect(placesIn(text)).toEqual([
      { fileName: 'a b.mov', startSeconds: 2, rate: 1 },
      { fileName: 'c.mp4', startSeconds: 6 - 0.4, rate: 1 },
    ])
  })

  test('newer clips with several references, other rates, transitions and nested tracks', () => {
    const two = {
      OTIO_SCHEMA: 'Clip.2',
      source_range: range(48, 24, 24),
      media_references: { DEFAULT_MEDIA: media('d.mkv', 0, 24) },
      active_media_reference_key: 'DEFAULT_MEDIA',
    }
    const nested = { OTIO_SCHEMA: 'Stack.1', source_range: range(25, 100), children: [track(gap(50), clip(range(0, 25), media('e.mov')))] }
    const places = placesIn(timeline(track(gap(75), { OTIO_SCHEMA: 'Transition.1' }, two, nested)))
    expect(places).toEqual([
      { fileName: 'd.mkv', startSeconds: 3 - 2, rate: 1 },
      { fileName: 'e.mov', startSeconds: 4 - 1 + 2, rate: 1 },
    ])
  })

  test('a retimed clip plays slower or faster', () => {
    const slow = clip(range(50, 100), media('f.mov'), { effects: [{ OTIO_SCHEMA: 'LinearTimeWarp.1', time_scalar: 0.8 }] })
    expect(placesIn(timeline(track(gap(25), slow)))).toEqual([{ fileName: 'f.mov', startSeconds: 1 - 1.25 * 2, rate: 1.25 }])
  })

  test('a source cut up many times lies where most pieces agree', () => {
    const piece = (at: number) => clip(range(at, 25), media('g.mov'))
    const stray = track(gap(500), piece(0))
    expect(readOtioPlacements(timeline(stray, track(gap(100), piece(50), gap(25), piece(100))))[0].startSeconds).toBe(2)
  })

  test.each([
    ['not JSON', '{', /no OpenTimelineIO/],
    ['other JSON', '[1]', /OTIO_SCHEMA is not Timeline/],
    ['no tracks', '{"OTIO_SCHEMA":"Timeline.1"}', /no tracks/],
  ])('%s is refused in words', (_, text, message) => {
    expect(() => readOtioPlacements(text)).toThrow(OtioError)
    expect(() => readOtioPlacements(text)).toThrow(message)
  })

  test('what is missing or odd in a clip is passed over', () => {
    const odd = [clip(range(0, 5), { OTIO_SCHEMA: 'MissingReference.1' }), { OTIO_SCHEMA: 'Clip.1' }, null, 7, clip({ start_time: 'x' }, media('h.mov'))]
    expect(placesIn(timeline(track(...(odd as object[]))))).toEqual([{ fileName: 'h.mov', startSeconds: 0.2, rate: 1 }])
  })
})
