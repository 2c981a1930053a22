import { partsOf, type Way } from '@pendolo/core/lineup'
import { type Clip, clockOf, isMaster, type Placement, type PointKind, projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, ZERO } from '@pendolo/core/time'
import { App, Button, Progress, Select, Upload } from 'antd'
import { useEffect, useRef, useState } from 'react'
import { useHotkeys } from 'react-hotkeys-hook'
import { Link } from 'react-router'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { Failed } from '../ui/failed.tsx'
import { newId } from '../ui/ids.ts'
import { Paper } from '../ui/paper.tsx'
import { Compare, clipFrames, ownTime, placeInClip } from './compare.tsx'
import { Coverage } from './coverage.tsx'
import { flamSounds } from './flam.ts'
import { Points } from './points.tsx'
import { Proof } from './proof.tsx'
import { Several } from './several.tsx'
import { takeIn } from './taken-in.ts'

const FILTERS = { all: 'all clips', sure: 'sure', check: 'to check', loose: 'loose' } as const
export type VerdictFilter = keyof typeof FILTERS

type WaysChoice = 'all' | Way
/** In the order of proof. */
const WAYS_CHOICES: { value: WaysChoice; label: string }[] = [
  { value: 'all', label: 'by all ways' },
  { value: 'sound', label: 'by sound' },
  { value: 'timecode', label: 'by timecode' },
  { value: 'light', label: 'by light' },
  { value: 'time', label: 'by recording time' },
  { value: 'first-frame', label: 'by first frame' },
]

export function LineUp({ project, edit, top }: StageProps) {
  const { doc, files } = project
  const { message, notification } = App.useApp()
  const { data: jobs = [] } = useJobs(project.id)
  const [chosenIds, setChosenIds] = useState<readonly string[]>([])
  const [ways, setWays] = useState<WaysChoice>('all')
  const [offset, setOffset] = useState<Flicks>(ZERO)
  const [thorough, setThorough] = useState(false)
  const [filter, setFilter] = useState<VerdictFilter>('all')
  const [flam, setFlam] = useState(false)
  const playing = useEngine((s) => s.playing)
  const rate = projectRate(doc.settings)
  const frame = frameStart(1, rate)
  const clips = Object.values(doc.clips).filter((c) => !isMaster(doc, c.id) && c.state !== 'aside' && c.angleId)
  const counts = { sure: 0, check: 0, loose: 0, parked: 0 }
  for (const c of clips) counts[c.state === 'parked' ? 'parked' : (doc.placements[c.id]?.verdict ?? 'loose')]++
  const several = chosenIds.filter((id) => clips.some((c) => c.id === id))
  const chosenId = several[several.length - 1] ?? null
  const chosen: Clip | null = chosenId ? (doc.clips[chosenId] ?? null) : null
  const chosenFacts = files.find((f) => f.id === chosen?.fileId)?.facts ?? null
  const placement: Placement | null = chosen ? (doc.placements[chosen.id] ?? null) : null
  const job = jobs.find((j) => j.kind === 'lineup' && (j.state === 'running' || j.state === 'queued'))
  const last = jobs.find((j) => j.kind === 'lineup')
  const awaited = useRef<string | null>(null)
  useEffect(() => {
    if (job) awaited.current = job.id
    else if (last && awaited.current === last.id) {
      awaited.current = null
      if (last.state === 'done') void message.info(last.detail)
    }
  }, [job, last, message])

  const start = async (clipIds: readonly string[] | null, near?: Flicks, speed?: number) => {
    try {
      await send('POST', `/projects/${project.id}/lineup`, {
        thorough,
        ...(ways !== 'all' && { ways: ways === 'light' ? ['sound', 'light'] : [ways] }),
        ...(clipIds && { clipIds }),
        ...(near !== undefined && { nearSeconds: near / FLICKS_PER_SECOND, tolerance: 5 }),
        ...(speed !== undefined && { speed }),
      })
    } catch (error) {
      notification.error({ title: 'Lining up did not start', description: error instanceof Error ? error.message : String(error) })
    }
  }
  const nudge = (by: number) => {
    const placed = several.filter((id) => doc.placements[id])
    if (placed.length === 0) return void message.info('Choose a placed clip first')
    edit([{ type: 'nudge', clipIds: placed, by: flicks(Math.round(by)) }], 'nudge')
  }
  const same = () => {
    if (!chosen || placement?.locked) return
    const why = 'what both pictures show put on the same instant by you'
    const at = flicks(Math.round(engine.now() - (placement?.rate ?? 1) * ownTime(engine.now(), offset, placement)))
    edit(
      [
        {
          type: 'place',
          by: 'hand',
          placements: {
            [chosen.id]: {
              start: at,
              rate: placement?.rate ?? 1,
              ...(placement?.jumps && { jumps: placement.jumps }),
              method: 'mark',
              verdict: 'sure',
              confidence: 0.9,
              why,
              locked: false,
            },
          },
          loose: {},
        },
      ],
      'same instant',
    )
    setOffset(ZERO)
  }
  const markParts = () => {
    const runs = clips.flatMap((c) => {
      const at = doc.placements[c.id]
      const facts = files.find((f) => f.id === c.fileId)?.facts
      if (!at || !facts?.video || !c.angleId) return []
      const from = at.start / FLICKS_PER_SECOND
      return [{ angleId: c.angleId, from, to: from + facts.durationSeconds * at.rate }]
    })
    const starts = partsOf(runs)
    if (starts.length < 2) return void message.info('The cameras ran through: nothing divides this event')
    const last = Math.max(...runs.map((r) => r.to))
    const ends = starts.map((_, i) => starts[i + 1] ?? last)
    const marks = starts.map((t, i) => ({
      id: newId(),
      // The part with which the master begins begins with it.
      time: flicks(t < 0 && ends[i] > 0 ? 0 : Math.round(t * FLICKS_PER_SECOND)),
      end: flicks(Math.round(ends[i] * FLICKS_PER_SECOND)),
      kind: 'part' as const,
      name: `Part ${i + 1}`,
      hue: i % 12,
    }))
    edit([{ type: 'addMarks', marks }], 'mark the parts')
    void message.success(`${starts.length} parts marked; they stand in Pulse and on the score`)
  }
  const takeFile = async (file: File) => {
    try {
      const { edit: taken, placed, locked, unknown } = takeIn(project, await file.text(), file.name)
      if (taken) edit([taken], 'take in an exchange file')
      const rest = [locked > 0 ? `${locked} locked and left` : '', unknown > 0 ? `${unknown} of its files are not in this project` : '']
        .filter(Boolean)
        .join(', ')
      const text = `${placed} clips placed as in ${file.name}${rest ? `; ${rest}` : ''}`
      void (placed > 0 ? message.success(text) : message.warning(text))
    } catch (error) {
      notification.error({ title: `${file.name} was not taken in`, description: error instanceof Error ? error.message : String(error) })
    }
    return false
  }
  // Which check is running: another gesture ends it.
  const touring = useRef(0)
  const tour = async () => {
    if (!chosen || !placement || !chosenFacts) return void message.info('Choose a placed clip first')
    const run = ++touring.current
    setFlam(true)
    for (const share of [0.02, 0.5, 0.98]) {
      const at = placeInClip(project, chosen, share, 2.2)
      engine.stop()
      engine.seek(at)
      await engine.play()
      await new Promise((resolve) => setTimeout(resolve, 2000))
      if (run !== touring.current) return
    }
    engine.stop()
    setFlam(false)
  }
  const stepClip = (by: number) => chosen && setOffset(flicks(offset + clipFrames(chosenFacts, placement?.rate ?? 1, by)))
  const setPoint = (clipId: string | null, point: PointKind) => {
    if (!clipId) return void message.info('Choose a clip first')
    const time = clipId === clockOf(doc) ? engine.now() : ownTime(engine.now(), offset, placement)
    edit([{ type: 'clipPoint', clipId, point, time }], `set the ${point === 'mark' ? 'mark' : `${point} point`}`)
  }
  const toggleFlam = () => {
    if (!chosen || !placement) return void message.info('Choose a placed clip first')
    touring.current++
    setFlam(!flam)
    if (flam) engine.stop()
    else if (!playing) void engine.play()
  }
  // The check follows every nudge, and ends with the stage.
  useEffect(() => engine.listenTo(flam && chosenId ? flamSounds(project, chosenId) : null), [flam, chosenId, project])
  useEffect(() => () => engine.listenTo(null), [])
  const choose = (id: string, more = false) => {
    touring.current++
    setFlam(false)
    setOffset(ZERO)
    if (more) return setChosenIds(several.includes(id) ? several.filter((c) => c !== id) : [...several, id])
    setChosenIds([id])
    const at = doc.placements[id]
    const file = files.find((f) => f.id === doc.clips[id]?.fileId)
    if (!at || !file) return
    const length = file.facts.durationSeconds * FLICKS_PER_SECOND * at.rate
    const now = engine.now()
    // A clip is looked at where it is: the playhead goes to its middle unless it is inside already.
    if (now < at.start || now > at.start + length) engine.seek(flicks(Math.round(at.start + length / 2)))
  }
  const hold = { preventDefault: true }
  useHotkeys('bracketleft', () => nudge(-frame), hold, [chosen, placement, edit])
  useHotkeys('bracketright', () => nudge(frame), hold, [chosen, placement, edit])
  useHotkeys('shift+bracketleft', () => nudge(-frame / 10), hold, [chosen, placement, edit])
  useHotkeys('shift+bracketright', () => nudge(frame / 10), hold, [chosen, placement, edit])
  useHotkeys('alt+bracketleft', () => nudge(-FLICKS_PER_SECOND / 1000), hold, [chosen, placement, edit])
  useHotkeys('alt+bracketright', () => nudge(FLICKS_PER_SECOND / 1000), hold, [chosen, placement, edit])
  useHotkeys('comma', () => stepClip(-1), hold, [chosen, placement, offset])
  useHotkeys('period', () => stepClip(1), hold, [chosen, placement, offset])
  useHotkeys('shift+comma', () => stepClip(-10), hold, [chosen, placement, offset])
  useHotkeys('shift+period', () => stepClip(10), hold, [chosen, placement, offset])
  useHotkeys('c', () => void tour(), hold, [chosen, placement, chosenFacts])
  useHotkeys('s', same, hold, [chosen, placement, offset, edit])
  for (const [key, point] of [
    ['m', 'mark'],
    ['i', 'in'],
    ['o', 'out'],
  ] as const) {
    // biome-ignore lint/correctness/useHookAtTopLevel: the list is fixed, so the hooks are called in the same order each time
    useHotkeys(key, () => setPoint(chosenId, point), hold, [chosenId, placement, offset, edit])
    // biome-ignore lint/correctness/useHookAtTopLevel: as above
    useHotkeys(`shift+${key}`, () => setPoint(clockOf(doc), point), hold, [clockOf(doc), edit])
  }
  useHotkeys('f', toggleFlam, hold, [chosen, placement, flam, playing])
  const placedOnes = several.filter((id) => doc.placements[id])
  const allLocked = placedOnes.every((id) => doc.placements[id].locked)
  useHotkeys('enter', () => placedOnes.length > 0 && edit([{ type: 'accept', clipIds: placedOnes }], 'accept'), {}, [placedOnes, edit])
  useHotkeys('alt+l', () => placedOnes.length > 0 && edit([{ type: 'lock', clipIds: placedOnes, locked: !allLocked }], 'lock'), hold, [
    placedOnes,
    allLocked,
    edit,
  ])

  if (clockOf(doc) === null || clips.length === 0) {
    return (
      <>
        {top(<span className="spring" />)}
        <Paper className="body">
          <div className="empty">
            <h2>Nothing to line up yet</h2>
            <p>{clips.length === 0 ? 'First bring the cameras in.' : 'Choose which recording is the master: every camera is placed on its time.'}</p>
            <Link to={`/${project.id}/gather`}>
              <Button type="primary">Gather</Button>
            </Link>
          </div>
        </Paper>
      </>
    )
  }
  const tried = counts.sure + counts.check > 0 || Object.keys(doc.loose).length > 0
  return (
    <>
      {top(
        <>
          <span role="status">
            {clips.length} clips · {counts.sure} sure · {counts.check} to check · {counts.loose} loose · {counts.parked} parked
          </span>
          <span className="spring" />
          {job ? (
            <>
              <Progress percent={Math.round(job.progress * 100)} size="small" style={{ width: 140 }} aria-label="Lining up" />
              <span className="quiet">{job.detail}</span>
              <Button size="small" onClick={() => void send('POST', `/jobs/${job.id}/cancel`)}>
                Cancel
              </Button>
            </>
          ) : (
            <>
              {last?.state === 'failed' && <Failed job={last} />}
              <Select
                size="small"
                variant="borderless"
                value={filter}
                onChange={setFilter}
                aria-label="Which clips"
                options={Object.entries(FILTERS).map(([value, label]) => ({ value: value as VerdictFilter, label }))}
                popupMatchSelectWidth={120}
                style={{ width: 82 }}
              />
              <Select
                size="small"
                variant="borderless"
                value={ways}
                onChange={setWays}
                aria-label="By which ways"
                options={WAYS_CHOICES}
                popupMatchSelectWidth={210}
                style={{ width: 104 }}
              />
              <Select
                size="small"
                variant="borderless"
                value={thorough}
                onChange={setThorough}
                aria-label="How thoroughly"
                options={[
                  { value: false, label: 'quick' },
                  { value: true, label: 'thorough' },
                ]}
                popupMatchSelectWidth={120}
                style={{ width: 78 }}
              />
              <Upload accept=".otio,.json" showUploadList={false} beforeUpload={takeFile}>
                <Button size="small" type="text" title="Take places from an OpenTimelineIO file of another program">
                  Take in
                </Button>
              </Upload>
              {counts.sure + counts.check > 1 && (
                <Button size="small" type="text" onClick={markParts} title="A mark where each act or take begins, by when the cameras were started">
                  Mark parts
                </Button>
              )}
              {tried && (
                <Button size="small" onClick={() => void start(null)}>
                  Line up all
                </Button>
              )}
              <Button
                type="primary"
                onClick={() => void start(tried ? clips.filter((c) => !doc.placements[c.id] && c.state === 'in').map((c) => c.id) : null)}
                disabled={tried && counts.loose === 0}
              >
                {tried ? 'Line up the loose ones' : 'Line up'}
              </Button>
            </>
          )}
        </>,
      )}
      <div className="lineup">
        <Paper className="sheet">
          <Coverage
            project={project}
            clips={clips}
            filter={filter}
            chosenIds={several}
            onChoose={choose}
            onSlide={(id, by) => edit([{ type: 'nudge', clipIds: [id], by }], 'slide')}
          />
        </Paper>
        <div className="lower">
          <Compare project={project} clip={chosen} offset={offset} onOffset={setOffset} onSame={same} onTour={() => void tour()} />
          <section className="proof" aria-label="Proof">
            {several.length > 1 ? (
              <Several project={project} clipIds={several} edit={edit} onSearch={() => void start(several)} />
            ) : chosen ? (
              <Proof
                points={<Points project={project} clip={chosen} edit={edit} onSet={setPoint} onSearchNear={(near) => void start([chosen.id], near)} />}
                project={project}
                clip={chosen}
                placement={placement}
                edit={edit}
                flam={flam}
                onFlam={toggleFlam}
                onSearchSpeed={(speed) => void start([chosen.id], undefined, speed)}
                onSearchNear={() => {
                  // The clip's start is looked for where the playhead is, as the rough mark.
                  void start([chosen.id], engine.now())
                }}
              />
            ) : (
              <div className="empty">
                <h3>The proof</h3>
                <p className="quiet">Choose a clip: here stands how sure its place is and why, with the next-best place and ways to check by eye and ear.</p>
                <p className="quiet">
                  In order of proof, each tried where the one before is not sure: sound · timecode (heard as sound, then in the file) · light · sound through
                  other cameras · recording time.
                </p>
              </div>
            )}
          </section>
        </div>
      </div>
    </>
  )
}
