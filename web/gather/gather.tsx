import { DndContext, type DragEndEvent, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core'
import { SortableContext, sortableKeyboardCoordinates, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { type Job, jobText } from '@pendolo/api'
import { type Angle, anglesInUse, factsOfClip, flagsOf, projectRate } from '@pendolo/core/project'
import { printLength } from '@pendolo/core/time'
import { Button } from 'antd'
import { useMemo, useState } from 'react'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import type { StageProps } from '../stage.ts'
import { Failed } from '../ui/failed.tsx'
import { Paper } from '../ui/paper.tsx'
import { useKeys } from '../ui/use-keys.ts'
import { useChoice } from './choice.ts'
import { AngleRows, FlatRows, Head } from './clip-table.tsx'
import { heardTimecode } from './facts-text.ts'
import { JobsChip } from './jobs-chip.tsx'
import { Masters } from './masters.tsx'
import { Missing } from './missing.tsx'
import { BY_ANGLES, inOrder, type Order, type Row } from './order.ts'
import { SelectionBar } from './selection-bar.tsx'
import { SettingsChip } from './settings-chip.tsx'
import { Sources } from './sources.tsx'

export function Gather({ project, edit, top }: StageProps) {
  const { doc } = project
  const { data: jobs = [] } = useJobs(project.id)
  const [renaming, setRenaming] = useState<string | null>(null)
  const [order, setOrder] = useState<Order>(BY_ANGLES)
  const clips = Object.values(doc.clips)
  const originals = new Set(clips.map((c) => c.fileId))
  const files = project.files.filter((f) => originals.has(f.id))
  const inUse = anglesInUse(doc)
  const byAngle = order.by === 'key'
  const rows = useMemo(() => rowsOf(project), [project])
  const sorted = useMemo(() => inOrder(rows, order), [rows, order])
  const ofAngle = (angleId: string) => sorted.filter((r) => r.clip.angleId === angleId)
  const heard = rows.some((r) => heardTimecode(r.file) !== null)
  const listed = byAngle ? doc.angles.flatMap((a) => ofAngle(a.id)) : sorted
  const { chosen, setChosen, toggle, toggleAngle } = useChoice(
    listed.map((r) => r.clip.id),
    (angleId) => ofAngle(angleId).map((r) => r.clip.id),
  )
  const here = useMemo(() => new Set([...chosen].filter((id) => rows.some((r) => r.clip.id === id))), [chosen, rows])
  useKeys('rename', () => setRenaming(rows.find((r) => here.has(r.clip.id))?.clip.angleId ?? doc.angles[0]?.id ?? null))

  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  )
  const reorder = (event: DragEndEvent) => {
    const angleIds = reordered(doc.angles, event)
    if (angleIds) edit([{ type: 'orderAngles', angleIds }], 'reorder angles')
  }
  const failed = jobs.filter((j) => j.state === 'failed' && (j.kind === 'copies' || j.kind === 'sound'))

  return (
    <>
      {top(
        <>
          <span className="quiet">
            {inUse.length} angles · {clips.length} files · {printLength(files.reduce((s, f) => s + f.facts.durationSeconds, 0))}
          </span>
          <span className="spring" />
          {clips.length > 0 && <SettingsChip project={project} edit={edit} />}
          <JobsChip jobs={jobs} />
        </>,
      )}
      <div className="gather">
        <Sources projectId={project.id} known={new Set(files.map((f) => f.path))} />
        <Paper className="sheet">
          {clips.length === 0 ? (
            <NothingYet />
          ) : (
            <>
              <Missing projectId={project.id} names={files.filter((f) => f.missing).map((f) => f.name)} jobs={jobs} />
              <Masters project={project} edit={edit} />
              <SelectionBar project={project} edit={edit} rows={rows} chosen={here} onChoose={(ids) => setChosen(new Set(ids))} />
              <DndContext sensors={sensors} onDragEnd={reorder}>
                <table>
                  <Head order={order} heard={heard} onOrder={setOrder} />
                  {byAngle ? (
                    <SortableContext items={doc.angles.map((a) => a.id)} strategy={verticalListSortingStrategy}>
                      {doc.angles.map((angle) => (
                        <AngleRows
                          key={angle.id}
                          angle={angle}
                          index={inUse.indexOf(angle)}
                          rows={ofAngle(angle.id)}
                          heard={heard}
                          jobs={jobs}
                          chosen={here}
                          onToggle={toggle}
                          onToggleAll={() => toggleAngle(angle.id)}
                          renaming={renaming === angle.id}
                          onRename={() => setRenaming(angle.id)}
                          onHue={(hue) => edit([{ type: 'colourAngle', angleId: angle.id, hue }], 'colour an angle')}
                          onName={(name) => {
                            if (name.trim() && name.trim() !== angle.name) edit([{ type: 'renameAngle', angleId: angle.id, name }], 'rename an angle')
                            setRenaming(null)
                          }}
                        />
                      ))}
                    </SortableContext>
                  ) : (
                    <FlatRows rows={sorted} angles={new Map(doc.angles.map((a) => [a.id, a]))} heard={heard} jobs={jobs} chosen={here} onToggle={toggle} />
                  )}
                </table>
              </DndContext>
              <Below project={project} failed={failed} onBack={(id) => edit([{ type: 'setAside', clipIds: [id], aside: false }], 'take back')} />
            </>
          )}
        </Paper>
      </div>
    </>
  )
}

/** Clips of angles that are not aside, with what the table shows of them. */
function rowsOf({ doc, files }: StageProps['project']): Row[] {
  const byId = new Map(files.map((f) => [f.id, f]))
  const inUse = anglesInUse(doc)
  const rate = projectRate(doc.settings)
  return Object.values(doc.clips).flatMap((clip): Row[] => {
    const file = byId.get(clip.fileId)
    const index = inUse.findIndex((a) => a.id === clip.angleId)
    if (!file || index < 0 || clip.state === 'aside') return []
    const flags = flagsOf(factsOfClip(file.facts, clip), rate, doc.placements[clip.id]?.rate)
    return [{ clip, file, angleName: inUse[index].name, index, flags }]
  })
}

/** Angles in their order after one was dragged; null where nothing was moved. */
function reordered(angles: readonly Angle[], { active, over }: DragEndEvent): string[] | null {
  if (!over || active.id === over.id) return null
  const ids = angles.map((a) => a.id)
  const to = ids.indexOf(String(over.id))
  ids.splice(to, 0, ...ids.splice(ids.indexOf(String(active.id)), 1))
  return ids
}

function NothingYet() {
  return (
    <div className="empty">
      <h2>Bring the cameras in</h2>
      <p>
        One folder is one camera: drop folders anywhere here, or open one on the left and press “add”. Your files stay where they are and are never changed.
      </p>
    </div>
  )
}

/** What was set aside, and copies that could not be made. */
function Below({ project, failed, onBack }: { project: StageProps['project']; failed: readonly Job[]; onBack: (clipId: string) => void }) {
  const aside = Object.values(project.doc.clips).filter((c) => c.state === 'aside')
  const nameOf = (fileId: string) => project.files.find((f) => f.id === fileId)?.name
  return (
    <>
      {aside.length > 0 && (
        <p style={{ display: 'flex', gap: 8, flexWrap: 'wrap', alignItems: 'center' }}>
          <span className="quiet">Set aside:</span>
          {aside.map((c) => (
            <Button key={c.id} size="small" title="Take it back" onClick={() => onBack(c.id)}>
              {nameOf(c.fileId)} · take back
            </Button>
          ))}
        </p>
      )}
      {failed.map((job) => (
        <p key={job.id}>
          <span className="note">{jobText(job)}</span> <Failed job={job} />{' '}
          <Button size="small" onClick={() => void send('POST', `/jobs/${job.id}/retry`)}>
            Try again
          </Button>
        </p>
      ))}
    </>
  )
}
