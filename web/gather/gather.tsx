import { DndContext, type DragEndEvent, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core'
import { SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { type GatheredFile, type Job, jobText, noteText } from '@pendolo/api'
import { type Angle, anglesInUse, type Clip, nextHue, projectRate } from '@pendolo/core/project'
import { PROJECT_RATES, parseRate, printLength, printRate, type Rate } from '@pendolo/core/time'
import { App, Button, Checkbox, Dropdown, Form, Input, InputNumber, Popover, Select } from 'antd'
import { ArrowDownUp, GripVertical } from 'lucide-react'
import { useMemo, useState } from 'react'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import { newId } from '../ids.ts'
import type { StageProps } from '../stage.ts'
import { Failed } from '../ui/failed.tsx'
import { Paper } from '../ui/paper.tsx'
import { useKeys } from '../ui/use-keys.ts'
import { useChoice } from './choice.ts'
import { Colour } from './colour.tsx'
import { JobsChip } from './jobs-chip.tsx'
import { Masters } from './masters.tsx'
import { Missing } from './missing.tsx'
import { soundText } from './sound-text.ts'
import { Sources } from './sources.tsx'

const COLUMNS = ['key', 'angle and its files', 'length', 'rate', 'picture', 'sound', 'timecode, recorded', 'to note'] as const
const SORTS = { name: 'file name', length: 'length', rate: 'rate', recorded: 'recording time' } as const
type Sort = keyof typeof SORTS

export function Gather({ project, edit, top }: StageProps) {
  const { doc, files } = project
  const { data: jobs = [] } = useJobs(project.id)
  const [renaming, setRenaming] = useState<string | null>(null)
  const [sort, setSort] = useState<Sort>('recorded')
  const byId = useMemo(() => new Map(files.map((f) => [f.id, f])), [files])
  const clips = Object.values(doc.clips)
  const inUse = anglesInUse(doc)
  const listed = (angleId: string) =>
    sorted(
      clips.filter((c) => c.angleId === angleId && c.state !== 'aside'),
      byId,
      sort,
    )
  const { chosen, setChosen, toggle, toggleAngle } = useChoice(doc.angles, (angleId) => listed(angleId).map((c) => c.id))
  const selected = [...chosen].filter((id) => doc.clips[id])
  const setAside = (ids: string[], away: boolean) => {
    edit([{ type: 'setAside', clipIds: ids, aside: away }], away ? 'set aside' : 'take back')
    setChosen(new Set())
  }
  const moveTo = (angle: Angle | { id: string }) => {
    edit([{ type: 'moveClips', clipIds: selected, angle }], 'move files to an angle')
    setChosen(new Set())
  }
  useKeys('rename', () => {
    const clip = doc.clips[selected[0] ?? '']
    setRenaming(clip?.angleId ?? doc.angles[0]?.id ?? null)
  })

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
              <SelectionBar
                project={project}
                selected={selected}
                sort={sort}
                onSort={setSort}
                onAside={(ids) => setAside(ids, true)}
                onMove={moveTo}
                onNone={() => setChosen(new Set())}
              />
              <DndContext sensors={sensors} onDragEnd={reorder}>
                <table>
                  <thead>
                    <tr>
                      <th style={{ width: 26 }} aria-label="chosen" />
                      {COLUMNS.map((c) => (
                        <th key={c}>{c}</th>
                      ))}
                    </tr>
                  </thead>
                  <SortableContext items={doc.angles.map((a) => a.id)} strategy={verticalListSortingStrategy}>
                    {doc.angles.map((angle) => (
                      <AngleRows
                        key={angle.id}
                        angle={angle}
                        index={inUse.indexOf(angle)}
                        clips={listed(angle.id)}
                        files={byId}
                        jobs={jobs}
                        chosen={chosen}
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
                </table>
              </DndContext>
              <Below project={project} failed={failed} onBack={(id) => setAside([id], false)} />
            </>
          )}
        </Paper>
      </div>
    </>
  )
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

/** What can be done with the files that are chosen, and in which order all stand. */
function SelectionBar({
  project,
  selected,
  sort,
  onSort,
  onAside,
  onMove,
  onNone,
}: {
  project: StageProps['project']
  selected: string[]
  sort: Sort
  onSort: (sort: Sort) => void
  onAside: (clipIds: string[]) => void
  onMove: (angle: Angle | { id: string }) => void
  onNone: () => void
}) {
  const { doc } = project
  return (
    <div style={{ display: 'flex', gap: 8, alignItems: 'center', minHeight: 34 }}>
      {selected.length > 0 ? (
        <>
          <span>{selected.length} chosen</span>
          <Button size="small" onClick={() => onAside(selected)}>
            Set aside
          </Button>
          <Dropdown
            trigger={['click']}
            menu={{
              items: [
                ...doc.angles.map((a, i) => ({ key: a.id, label: `${i + 1} ${a.name}`, onClick: () => onMove({ id: a.id }) })),
                { type: 'divider' as const },
                {
                  key: 'new',
                  label: 'a new angle',
                  onClick: () => onMove({ id: newId(), name: 'New angle', hue: nextHue(doc.angles), framing: 'fit' }),
                },
              ],
            }}
          >
            <Button size="small">Move to an angle</Button>
          </Dropdown>
          <Button size="small" type="text" onClick={() => onNone()}>
            Choose none
          </Button>
        </>
      ) : (
        <span className="quiet">drag an angle: its place is its number key · F2 renames it · choose files to set aside or move them</span>
      )}
      <span style={{ flex: 1 }} />
      <ArrowDownUp size={13} aria-hidden="true" />
      <Select
        size="small"
        value={sort}
        onChange={onSort}
        aria-label="Order of files"
        options={Object.entries(SORTS).map(([value, label]) => ({ value: value as Sort, label }))}
        style={{ width: 130 }}
      />
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

function sorted(clips: Clip[], files: ReadonlyMap<string, GatheredFile>, by: Sort): Clip[] {
  const of = (c: Clip) => files.get(c.fileId) as GatheredFile
  const name = (a: Clip, b: Clip) => of(a).name.localeCompare(of(b).name, 'en', { numeric: true })
  const rate = (c: Clip) => (of(c).facts.video ? printRate(of(c).facts.video?.rate as Rate) : '')
  const order: Record<Sort, (a: Clip, b: Clip) => number> = {
    name,
    length: (a, b) => of(b).facts.durationSeconds - of(a).facts.durationSeconds,
    rate: (a, b) => rate(a).localeCompare(rate(b), 'en', { numeric: true }) || name(a, b),
    recorded: (a, b) => (of(a).facts.recordedAt ?? '').localeCompare(of(b).facts.recordedAt ?? '') || name(a, b),
  }
  return [...clips].sort(order[by])
}

interface AngleRowsProps {
  angle: Angle
  index: number
  clips: Clip[]
  files: ReadonlyMap<string, GatheredFile>
  jobs: readonly Job[]
  chosen: ReadonlySet<string>
  onToggle: (clipId: string, range: boolean) => void
  onToggleAll: () => void
  renaming: boolean
  onRename: () => void
  onName: (name: string) => void
  onHue: (hue: number) => void
}

function AngleRows({ angle, index, clips, files, jobs, chosen, onToggle, onToggleAll, renaming, onRename, onName, onHue }: AngleRowsProps) {
  const { attributes, listeners, setNodeRef, transform, transition } = useSortable({ id: angle.id })
  const shown = clips.map((c) => ({ clip: c, file: files.get(c.fileId) as GatheredFile }))
  const first = shown[0]?.file
  const seconds = shown.reduce((s, x) => s + x.file.facts.durationSeconds, 0)
  return (
    <tbody ref={setNodeRef} style={{ transform: CSS.Translate.toString(transform), transition }}>
      <tr className="angle">
        <td>
          <button type="button" className="plain" {...attributes} {...listeners} aria-label={`Move ${angle.name}`} style={{ cursor: 'grab' }}>
            <GripVertical size={14} />
          </button>
        </td>
        <td>
          <Colour angle={angle} index={index} onHue={onHue} />
        </td>
        <td>
          {clips.length > 1 && (
            <Checkbox
              checked={clips.every((c) => chosen.has(c.id))}
              indeterminate={clips.some((c) => chosen.has(c.id)) && !clips.every((c) => chosen.has(c.id))}
              onChange={onToggleAll}
              aria-label={`Choose all clips of ${angle.name}`}
              style={{ marginRight: 8 }}
            />
          )}
          {renaming ? (
            <Input
              size="small"
              autoFocus
              defaultValue={angle.name}
              aria-label="Name of the angle"
              onBlur={(e) => onName(e.target.value)}
              onPressEnter={(e) => onName(e.currentTarget.value)}
              onKeyDown={(e) => e.key === 'Escape' && onName('')}
            />
          ) : (
            <button type="button" className="plain angle-name" onDoubleClick={onRename} title="Double click renames">
              {angle.name}
            </button>
          )}
        </td>
        <td className="mono">{shown.length > 1 ? `${shown.length} files · ${printLength(seconds)}` : printLength(seconds)}</td>
        <td className="mono">{first?.facts.video ? printRate(first.facts.video.rate) : '–'}</td>
        <td className="mono">{first?.facts.video ? `${first.facts.video.width}×${first.facts.video.height}` : 'sound only'}</td>
        <td className="sound">{first ? soundText(first) : ''}</td>
        <td className="mono">{first?.facts.timecode ?? '–'}</td>
        <td>{shown.length > 1 && <span className="note">one camera, stopped {shown.length - 1 === 1 ? 'once' : `${shown.length - 1} times`}</span>}</td>
      </tr>
      {shown.map(({ clip, file }) => (
        <FileRow
          key={clip.id}
          clip={clip}
          file={file}
          alone={shown.length === 1}
          jobs={jobs.filter((j) => j.fileId === file.id)}
          chosen={chosen.has(clip.id)}
          onToggle={(range) => onToggle(clip.id, range)}
        />
      ))}
    </tbody>
  )
}

/** Everything known of a file, for the tip on its name. */
function factsText({ path, size, facts }: GatheredFile): string {
  const { video, audio } = facts
  return [
    path,
    `${(size / 1e6).toFixed(1)} MB, ${facts.container}`,
    video &&
      `${video.codec}, ${video.frames} pictures at ${video.variableRate ? 'a variable rate around ' : ''}${printRate(video.rate)}, pixels ${video.pixelAspect}`,
    audio && `${audio.codec}, ${audio.channels} channels${audio.streams > 1 ? `, ${audio.streams} streams` : ''}`,
    facts.recordedAt && `recorded ${facts.recordedAt}`,
    facts.camera && `camera ${facts.camera}`,
  ]
    .filter(Boolean)
    .join('\n')
}

function FileRow({
  clip,
  file,
  alone,
  jobs,
  chosen,
  onToggle,
}: {
  clip: Clip
  file: GatheredFile
  alone: boolean
  jobs: Job[]
  chosen: boolean
  onToggle: (range: boolean) => void
}) {
  const running = jobs.find((j) => j.state === 'running')
  const open = running ?? jobs.find((j) => j.state === 'queued')
  const { video } = file.facts
  return (
    <tr className={chosen ? 'file chosen' : 'file'} aria-label={file.name}>
      <td />
      <td>
        <Checkbox checked={chosen} onChange={(e) => onToggle(e.nativeEvent.shiftKey)} aria-label={`Choose ${file.name}`} />
      </td>
      <td className="file-name" title={factsText(file)}>
        {file.name}
        {clip.state === 'parked' && ' · parked'}
        {file.missing && ' · missing'}
        {open && (
          <div className="bar" role="progressbar" aria-valuenow={Math.round((running?.progress ?? 0) * 100)} aria-label={jobText(open)}>
            <i style={{ width: `${(running?.progress ?? 0) * 100}%` }} />
          </div>
        )}
      </td>
      <td className="mono quiet">{alone ? '' : printLength(file.facts.durationSeconds)}</td>
      <td className="mono quiet">{alone ? '' : video ? printRate(video.rate) : '–'}</td>
      <td className="mono quiet">{alone ? '' : video ? `${video.width}×${video.height}` : 'sound only'}</td>
      <td className="sound quiet">{alone ? '' : soundText(file)}</td>
      <td className="mono quiet" title={file.facts.recordedAt ? `recorded ${file.facts.recordedAt}` : undefined}>
        {file.facts.recordedAt ? file.facts.recordedAt.slice(0, 16).replace('T', ' ') : ''}
      </td>
      <td>
        {file.facts.camera && <span className="quiet">{file.facts.camera} </span>}
        {file.notes.map((n) => (
          <span key={noteText(n)} className="note">
            {noteText(n)}
          </span>
        ))}
      </td>
    </tr>
  )
}

function SettingsChip({ project, edit }: Pick<StageProps, 'project' | 'edit'>) {
  const { settings } = project.doc
  const rate = projectRate(settings)
  const { message } = App.useApp()
  const [open, setOpen] = useState(false)
  return (
    <Popover
      trigger="click"
      open={open}
      onOpenChange={setOpen}
      title="Project settings"
      content={
        <Form
          layout="vertical"
          style={{ width: 260 }}
          initialValues={{
            rate: settings.rate,
            width: settings.width,
            height: settings.height,
            hours: Math.round(settings.startFrame / Math.round(rate.num / rate.den) / 3600),
            dropFrame: settings.dropFrame,
          }}
          onFinish={(v: { rate: (typeof PROJECT_RATES)[number]; width: number; height: number; hours: number; dropFrame: boolean }) => {
            const next = parseRate(v.rate) as Rate
            const drop = v.dropFrame && next.den === 1001 && next.num % 30000 === 0
            edit(
              [
                {
                  type: 'settings',
                  change: {
                    rate: v.rate,
                    width: v.width & ~1,
                    height: v.height & ~1,
                    dropFrame: drop,
                    startFrame: v.hours * 3600 * Math.round(next.num / next.den),
                  },
                },
              ],
              'change the settings',
            )
            if (v.dropFrame && !drop) void message.info('Drop-frame counting exists for 29.97 and 59.94 only')
            setOpen(false)
          }}
        >
          <Form.Item name="rate" label="Frames a second">
            <Select options={PROJECT_RATES.map((r) => ({ value: r, label: printRate(parseRate(r) as Rate) }))} />
          </Form.Item>
          <Form.Item name="dropFrame" valuePropName="checked" style={{ marginBottom: 8 }}>
            <Checkbox>drop-frame counting</Checkbox>
          </Form.Item>
          <div style={{ display: 'flex', gap: 8 }}>
            <Form.Item name="width" label="Width">
              <InputNumber min={64} max={8192} />
            </Form.Item>
            <Form.Item name="height" label="Height">
              <InputNumber min={64} max={8192} />
            </Form.Item>
          </div>
          <Form.Item name="hours" label="Timecode starts at hour">
            <InputNumber min={0} max={23} />
          </Form.Item>
          <Button htmlType="submit" type="primary" block>
            Keep
          </Button>
        </Form>
      }
    >
      <button type="button" className="chip">
        {printRate(rate)} frames a second · {settings.width} × {settings.height}
      </button>
    </Popover>
  )
}
