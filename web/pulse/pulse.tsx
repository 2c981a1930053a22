import { clockOf, marksOnMaster, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { Button } from 'antd'
import { useState } from 'react'
import { Link } from 'react-router'
import { useJobs } from '../data/queries.ts'
import { newId } from '../ids.ts'
import { MarksList } from '../marks/marks-list.tsx'
import { masterEnd } from '../playback/model.ts'
import { engine } from '../playback/use-engine.ts'
import { MasterTime } from '../score/master-time.tsx'
import { useLoadPeaks, useMasterWaves } from '../score/waveform.tsx'
import type { StageProps } from '../stage.ts'
import { keyText } from '../ui/keymap.ts'
import { Paper } from '../ui/paper.tsx'
import { CorrectBeats, type Stretch } from './correct.tsx'
import { TempoCurve } from './curves.tsx'
import { FindInMaster } from './find.tsx'
import { SheetLines } from './lines.tsx'
import { MarksFiles } from './marks-files.tsx'
import { useOnsets } from './onsets.tsx'

export function Pulse({ project, edit, top }: StageProps) {
  const { doc, files } = project
  const { data: jobs = [] } = useJobs(project.id)
  const [stretch, setStretch] = useState<Stretch | null>(null)
  const master = files.find((f) => f.id === doc.clips[clockOf(doc) ?? '']?.fileId)
  const waves = useMasterWaves(project)
  const loadPeaks = useLoadPeaks(master?.contentKey ?? null, master?.ready.peaks ?? false)
  const job = jobs.find((j) => j.kind === 'pulse')
  const onsets = useOnsets(doc.pulse ? (doc.pulse.heard ?? master?.contentKey ?? null) : null, job?.finishedAt ?? 0)
  const pulse = pulseOf(doc)

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
          <MasterTime settings={doc.settings} />
          <span className="spring" />
          <FindInMaster project={project} job={job} />
        </>,
      )}
      <div className="pulse">
        <Paper className="sheet">
          <CorrectBeats pulse={pulse} stretch={stretch} onStretch={setStretch} edit={edit} />
          <SheetLines
            pulse={pulse}
            marks={marksOnMaster(doc)}
            spans={doc.spans ?? null}
            onsets={onsets}
            waves={waves}
            total={masterEnd(project) / FLICKS_PER_SECOND}
            stretch={stretch}
            onStretch={setStretch}
            onDragBeat={(at, to) => edit([{ type: 'correctPulse', act: { do: 'drag', at, to } }], 'move a beat')}
          />
          <div className="foot">
            <Button type="primary" onClick={drop}>
              Drop a mark ({keyText('mark')})
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
                            kind: 'part',
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
          <MarksList project={project} edit={edit} keys />
          <MarksFiles project={project} loadPeaks={loadPeaks} edit={edit} />
        </aside>
      </div>
    </>
  )
}
