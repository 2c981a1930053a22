import { MARK_KINDS, type MarkKind, projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks, printTimecode } from '@pendolo/core/time'
import { App, Button, Input, Progress, Select } from 'antd'
import { Trash2 } from 'lucide-react'
import { useState } from 'react'
import { Link } from 'react-router'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import { engine, masterEnd, useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../project-frame.tsx'
import { usePeaks } from '../score/waveform.tsx'
import { newId } from '../ui/ids.ts'
import { Paper } from '../ui/paper.tsx'
import { hueOf } from '../ui/theme.ts'
import { CorrectBeats, type Stretch } from './correct.tsx'
import { TempoCurve } from './curves.tsx'
import { SheetLines } from './lines.tsx'
import { MarksFiles } from './marks-files.tsx'

export function Pulse({ project, edit, top }: StageProps) {
  const { doc, files } = project
  const { time } = useEngine()
  const { notification } = App.useApp()
  const { data: jobs = [] } = useJobs(project.id)
  const [find, setFind] = useState('')
  const [kind, setKind] = useState<MarkKind | 'all'>('all')
  const [editing, setEditing] = useState<string | null>(null)
  const [stretch, setStretch] = useState<Stretch | null>(null)
  const rate = projectRate(doc.settings)
  const style = { rate, dropFrame: doc.settings.dropFrame }
  const master = files.find((f) => f.id === doc.clips[doc.masterClipId ?? '']?.fileId)
  const peaks = usePeaks(master?.contentKey ?? null, master?.ready.peaks ?? false)
  const job = jobs.find((j) => j.kind === 'pulse')
  const working = job && (job.state === 'running' || job.state === 'queued')
  const { pulse } = doc
  const shown = doc.marks.filter((m) => (kind === 'all' || m.kind === kind) && m.name.toLowerCase().includes(find.toLowerCase()))

  const start = async () => {
    try {
      await send('POST', `/projects/${project.id}/pulse`)
    } catch (error) {
      notification.error({ title: 'The search did not start', description: error instanceof Error ? error.message : String(error) })
    }
  }
  const drop = () =>
    edit(
      [{ type: 'addMarks', marks: [{ id: newId(), time: engine.now(), kind: 'cue', name: `Cue ${doc.marks.length + 1}`, hue: doc.marks.length % 12 }] }],
      'drop a mark',
    )
  if (!master) {
    return (
      <>
        {top(<span className="spring" />)}
        <Paper className="body">
          <div className="empty">
            <h2>No master to mark yet</h2>
            <p>Beats and marks stand on the master’s time. Choose the master first.</p>
            <Link to={`/${project.id}/gather`}>
              <Button type="primary">Gather</Button>
            </Link>
          </div>
        </Paper>
      </>
    )
  }
  return (
    <>
      {top(
        <>
          <span role="status">
            {pulse
              ? pulse.beats.length > 0
                ? `Beats: ${pulse.beats.length} in ${pulse.downbeats.length} bars of ${pulse.metre} · ♩ ${pulse.tempoBpm.toFixed(1)}`
                : 'No steady pulse in this recording'
              : 'No beats yet'}
          </span>
          <span className="spring" />
          <span className="timecode">{printTimecode(time, style, doc.settings.startFrame)}</span>
          <span className="spring" />
          {working ? (
            <>
              <Progress percent={Math.round(job.progress * 100)} size="small" style={{ width: 120 }} aria-label="Finding the pulse" />
              <span className="quiet">{job.detail}</span>
              <Button size="small" onClick={() => void send('POST', `/jobs/${job.id}/cancel`)}>
                Cancel
              </Button>
            </>
          ) : (
            <>
              {job?.state === 'failed' && <span role="alert">{job.detail}</span>}
              <Button type={pulse ? 'default' : 'primary'} onClick={() => void start()}>
                {pulse ? 'Find the pulse again' : 'Find the pulse'}
              </Button>
            </>
          )}
        </>,
      )}
      <div className="pulse">
        <Paper className="sheet">
          <CorrectBeats pulse={pulse} stretch={stretch} onStretch={setStretch} edit={edit} />
          <SheetLines
            pulse={pulse}
            marks={doc.marks}
            peaks={peaks}
            total={masterEnd(project) / FLICKS_PER_SECOND}
            stretch={stretch}
            onStretch={setStretch}
            onDragBeat={(at, to) => edit([{ type: 'correctPulse', act: { do: 'drag', at, to } }], 'move a beat')}
          />
          <div className="foot">
            <Button type="primary" onClick={drop}>
              Drop a mark (B)
            </Button>{' '}
            {stretch && (
              <Button
                onClick={() =>
                  edit(
                    [
                      {
                        type: 'addMarks',
                        marks: [
                          {
                            id: newId(),
                            time: stretch.from,
                            end: stretch.to,
                            kind: 'section',
                            name: `Section ${doc.marks.length + 1}`,
                            hue: doc.marks.length % 12,
                          },
                        ],
                      },
                    ],
                    'mark a stretch',
                  )
                }
              >
                Mark the stretch
              </Button>
            )}{' '}
            <span className="quiet">
              {stretch
                ? 'Corrections above go for this stretch · Esc: everywhere'
                : 'Shift + B names it at once · drag chooses a stretch · drag a beat by its foot'}
            </span>
          </div>
        </Paper>
        <aside className="side" aria-label="Marks">
          {pulse && pulse.beats.length > 1 && <TempoCurve pulse={pulse} total={masterEnd(project) / FLICKS_PER_SECOND} />}
          <h3>Marks</h3>
          <div style={{ display: 'flex', gap: 6 }}>
            <Input placeholder="Find a mark" value={find} onChange={(e) => setFind(e.target.value)} aria-label="Find a mark" allowClear />
            <Select
              value={kind}
              onChange={setKind}
              aria-label="Kind of mark"
              options={[{ value: 'all' as const, label: 'all' }, ...MARK_KINDS.map((k) => ({ value: k, label: k }))]}
              style={{ width: 96 }}
            />
          </div>
          {doc.marks.length === 0 && <p className="quiet">Press B while it plays: at the drop, at the first word, at the ring.</p>}
          <ul className="mark-list">
            {shown.map((m) => (
              <li key={m.id}>
                <span className="flag" style={{ background: hueOf(m.hue) }} />
                <button type="button" className="plain mono" onClick={() => engine.seek(m.time)} aria-label={`Go to ${m.name}`}>
                  {printTimecode(m.time, style, doc.settings.startFrame)}
                </button>
                {editing === m.id ? (
                  <Input
                    size="small"
                    autoFocus
                    defaultValue={m.name}
                    aria-label="Name of the mark"
                    onBlur={(e) => {
                      if (e.target.value.trim() && e.target.value !== m.name)
                        edit([{ type: 'changeMark', markId: m.id, change: { name: e.target.value.trim() } }], 'name a mark')
                      setEditing(null)
                    }}
                    onPressEnter={(e) => e.currentTarget.blur()}
                  />
                ) : (
                  <button
                    type="button"
                    className="plain"
                    style={{ textAlign: 'left' }}
                    onClick={() => engine.seek(m.time)}
                    onDoubleClick={() => setEditing(m.id)}
                    title="Double click names it"
                  >
                    {m.name}
                  </button>
                )}
                <span style={{ display: 'flex' }}>
                  <Select
                    size="small"
                    variant="borderless"
                    value={m.kind}
                    aria-label={`Kind of ${m.name}`}
                    onChange={(k: MarkKind) => edit([{ type: 'changeMark', markId: m.id, change: { kind: k } }], 'change a mark')}
                    options={MARK_KINDS.map((k) => ({ value: k, label: k }))}
                    style={{ width: 78 }}
                  />
                  <Button
                    size="small"
                    type="text"
                    icon={<Trash2 size={13} />}
                    aria-label={`Remove ${m.name}`}
                    onClick={() => edit([{ type: 'removeMarks', markIds: [m.id] }], 'remove a mark')}
                  />
                </span>
              </li>
            ))}
          </ul>
          <MarksFiles project={project} peaks={peaks} edit={edit} />
          <div style={{ display: 'flex', gap: 6 }}>
            <Button
              size="small"
              onClick={() => {
                const m = doc.marks.findLast((x) => x.time < engine.now())
                if (m) engine.seek(m.time)
              }}
            >
              Previous mark
            </Button>
            <Button
              size="small"
              onClick={() => {
                const m = doc.marks.find((x) => x.time > engine.now())
                if (m) engine.seek(m.time)
              }}
            >
              Next mark
            </Button>
            {pulse && pulse.beats.length > 0 && (
              <Button size="small" onClick={() => engine.seek(flicks(pulse.beats[0]))}>
                First beat
              </Button>
            )}
          </div>
        </aside>
      </div>
    </>
  )
}
