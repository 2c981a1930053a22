import type { Clip, Placement } from '@pendolo/core/project'
import { projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart } from '@pendolo/core/time'
import { App, Button, Progress, Select } from 'antd'
import { useState } from 'react'
import { useHotkeys } from 'react-hotkeys-hook'
import { Link } from 'react-router'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../project-frame.tsx'
import { Paper } from '../ui/paper.tsx'
import { Compare } from './compare.tsx'
import { Coverage } from './coverage.tsx'
import { flamSounds } from './flam.ts'
import { Proof } from './proof.tsx'

const FILTERS = { all: 'all clips', sure: 'sure', check: 'to check', loose: 'loose' } as const
export type VerdictFilter = keyof typeof FILTERS

export function LineUp({ project, edit, top }: StageProps) {
  const { doc, files } = project
  const { message, notification } = App.useApp()
  const { data: jobs = [] } = useJobs(project.id)
  const [chosenId, setChosenId] = useState<string | null>(null)
  const [thorough, setThorough] = useState(false)
  const [filter, setFilter] = useState<VerdictFilter>('all')
  const [flam, setFlam] = useState(false)
  const { playing } = useEngine()
  const rate = projectRate(doc.settings)
  const frame = frameStart(1, rate)
  const clips = Object.values(doc.clips).filter((c) => c.id !== doc.masterClipId && c.state !== 'aside' && c.angleId)
  const counts = { sure: 0, check: 0, loose: 0, parked: 0 }
  for (const c of clips) counts[c.state === 'parked' ? 'parked' : (doc.placements[c.id]?.verdict ?? 'loose')]++
  const chosen: Clip | null = chosenId ? (doc.clips[chosenId] ?? null) : null
  const placement: Placement | null = chosen ? (doc.placements[chosen.id] ?? null) : null
  const job = jobs.find((j) => j.kind === 'lineup' && (j.state === 'running' || j.state === 'queued'))
  const failed = jobs.find((j) => j.kind === 'lineup')

  const start = async (clipIds: string[] | null, near?: Flicks) => {
    try {
      await send('POST', `/projects/${project.id}/lineup`, {
        thorough,
        ...(clipIds && { clipIds }),
        ...(near !== undefined && { nearSeconds: near / FLICKS_PER_SECOND, tolerance: 5 }),
      })
    } catch (error) {
      notification.error({ title: 'Lining up did not start', description: error instanceof Error ? error.message : String(error) })
    }
  }
  const nudge = (by: number) => {
    if (!chosen || !placement) return void message.info('Choose a placed clip first')
    edit([{ type: 'nudge', clipIds: [chosen.id], by: flicks(Math.round(by)) }], 'nudge')
  }
  const toggleFlam = () => {
    if (!chosen || !placement) return void message.info('Choose a placed clip first')
    const next = !flam
    setFlam(next)
    engine.listenTo(next ? flamSounds(project, chosen.id) : null)
    if (next && !playing) void engine.play()
    if (!next) engine.stop()
  }
  const choose = (id: string) => {
    setChosenId(id)
    setFlam(false)
    engine.listenTo(null)
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
  useHotkeys('f', toggleFlam, hold, [chosen, placement, flam, playing])
  useHotkeys('enter', () => chosen && placement && edit([{ type: 'accept', clipIds: [chosen.id] }], 'accept'), {}, [chosen, placement, edit])
  useHotkeys('alt+l', () => chosen && placement && edit([{ type: 'lock', clipIds: [chosen.id], locked: !placement.locked }], 'lock'), hold, [
    chosen,
    placement,
    edit,
  ])

  if (!doc.masterClipId || clips.length === 0) {
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
              {failed?.state === 'failed' && <span role="alert">{failed.detail}</span>}
              <Select
                size="small"
                variant="borderless"
                value={filter}
                onChange={setFilter}
                aria-label="Which clips"
                options={Object.entries(FILTERS).map(([value, label]) => ({ value: value as VerdictFilter, label }))}
                style={{ width: 100 }}
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
                style={{ width: 100 }}
              />
              {tried && (
                <Button size="small" onClick={() => void start(null)}>
                  All again
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
          <Coverage project={project} clips={clips} filter={filter} chosenId={chosenId} onChoose={choose} />
        </Paper>
        <div className="lower">
          <Compare project={project} clip={chosen} />
          <section className="proof" aria-label="Proof">
            {chosen ? (
              <Proof
                project={project}
                clip={chosen}
                placement={placement}
                edit={edit}
                flam={flam}
                onFlam={toggleFlam}
                onSearchNear={() => {
                  // The clip's start is looked for where the playhead is, as the rough mark.
                  void start([chosen.id], engine.now())
                }}
              />
            ) : (
              <div className="empty">
                <h3>The proof</h3>
                <p className="quiet">Choose a clip: here stands how sure its place is and why, with the next-best place and ways to check by eye and ear.</p>
              </div>
            )}
          </section>
        </div>
      </div>
    </>
  )
}
