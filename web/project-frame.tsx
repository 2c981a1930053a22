import type { ProjectState } from '@pendolo/api'
import { marksOnMaster, projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import { Button, Input, Modal, Result, Spin, Tooltip } from 'antd'
import { Redo2, Undo2 } from 'lucide-react'
import { type ComponentType, lazy, memo, type ReactNode, Suspense, useEffect, useState } from 'react'
import { Link, useParams } from 'react-router'
import { useEdit, useProject, useStep } from './data/queries.ts'
import { undoInside } from './data/undo-scope.ts'
import { useWaiting } from './data/waiting.ts'
import { newId } from './ids.ts'
import { MarksBeside, MarksButton } from './marks/marks-beside.tsx'
import { usePrepared } from './playback/prepared.tsx'
import { engine, useLoaded } from './playback/use-engine.ts'
import type { StageProps } from './stage.ts'
import { Steps } from './steps.tsx'
import { Guarded } from './ui/broken.tsx'
import { useKept } from './ui/kept.ts'
import { KeysList } from './ui/keys.tsx'
import { usePaper } from './ui/paper.tsx'
import { Rail, STAGES, type StagePath } from './ui/rail.tsx'
import { useStable } from './ui/stable.ts'
import { useKeys } from './ui/use-keys.ts'

const load: Record<StagePath, () => Promise<{ default: ComponentType<StageProps> }>> = {
  gather: () => import('./gather/gather.tsx').then((m) => ({ default: m.Gather })),
  'line-up': () => import('./lineup/lineup.tsx').then((m) => ({ default: m.LineUp })),
  pulse: () => import('./pulse/pulse.tsx').then((m) => ({ default: m.Pulse })),
  switch: () => import('./switch/switch.tsx').then((m) => ({ default: m.Switch })),
  balance: () => import('./balance/balance.tsx').then((m) => ({ default: m.Balance })),
  'hand-over': () => import('./handover/handover.tsx').then((m) => ({ default: m.HandOver })),
}
/** Each stage comes by itself, so that the first picture waits only for its own. */
const VIEWS: Record<StagePath, ComponentType<StageProps>> = {
  gather: lazy(load.gather),
  'line-up': lazy(load['line-up']),
  pulse: lazy(load.pulse),
  switch: lazy(load.switch),
  balance: lazy(load.balance),
  'hand-over': lazy(load['hand-over']),
}

/** How soon after the first picture the other stages are fetched, ms. */
const OTHERS_AFTER = 1500

function useOtherStages(): void {
  useEffect(() => {
    const timer = setTimeout(() => void Promise.allSettled(Object.values(load).map((one) => one())), OTHERS_AFTER)
    return () => clearTimeout(timer)
  }, [])
}

export function ProjectFrame() {
  const { projectId = '', stage = 'gather' } = useParams()
  const { data: project, error, isPending } = useProject(projectId)
  const [keys, setKeys] = useState(false)
  const { turn } = usePaper()
  const current = STAGES.find((s) => s.path === stage)?.path ?? 'gather'
  const { onKeys, onPaper, onClose } = useStable({ onKeys: () => setKeys(true), onPaper: turn, onClose: () => setKeys(false) })
  const done = useKept(project ? stagesDone(project) : NONE_DONE)
  useKeys('help', onKeys)
  return (
    <div className="house">
      <Rail current={current} done={done} onKeys={onKeys} onPaper={onPaper} />
      <div className="main">
        {isPending && <Spin style={{ margin: 'auto' }} description="Opening the project" />}
        {error && (
          <Result
            status="warning"
            title="This project cannot be opened"
            subTitle={error.message}
            extra={
              <Link to="/">
                <Button type="primary">All projects</Button>
              </Link>
            }
          />
        )}
        {project && (
          <Guarded shows={[project.doc]}>
            <Opened key={projectId} project={project} stage={current} />
          </Guarded>
        )}
      </div>
      <KeysList open={keys} onClose={onClose} />
    </div>
  )
}

/** Says that changes wait for the server; nothing is lost while it does. */
function Waiting() {
  const count = useWaiting()
  return count === 0 ? null : (
    <span
      className="chip warn"
      role="status"
      title="The server cannot be reached. What you did is kept here and sent as soon as it answers; leave this page open."
    >
      {count === 1 ? '1 change waits' : `${count} changes wait`} for the server
    </span>
  )
}

const NONE_DONE: boolean[] = []

function stagesDone({ doc }: ProjectState): boolean[] {
  const clips = Object.keys(doc.clips).length > 0
  const placed = Object.keys(doc.placements).length > 1
  const cut = doc.cuts.some((c) => c.points.length > 0)
  return [clips, placed, doc.pulse !== null || doc.marks.length > 0, cut, false, false]
}

function Opened({ project, stage }: { project: ProjectState; stage: StagePath }) {
  const edit = useEdit(project.id)
  const step = useStep(project.id)
  const [naming, setNaming] = useState<string | null>(null)
  const [marksOpen, setMarksOpen] = useState(false)
  useLoaded(project)
  usePrepared(project)
  useOtherStages()
  // Mounted anew for each project: what played in one does not go on in another.
  useEffect(() => () => engine.stop(), [])
  const rate = projectRate(project.doc.settings)
  const frame = (by: number) => engine.stepFrames(by, rate)
  const second = (by: number) => engine.shift(flicks(by * FLICKS_PER_SECOND))

  useKeys('play', () => engine.toggle())
  useKeys(
    'shuttle',
    () => engine.shuttle(-1),
    () => engine.stop(),
    () => engine.shuttle(1),
  )
  useKeys(
    'shuttleSlowly',
    () => engine.shuttle(-1, true),
    () => engine.shuttle(1, true),
  )
  useKeys(
    'frame',
    () => frame(-1),
    () => frame(1),
  )
  useKeys(
    'second',
    () => second(-1),
    () => second(1),
  )
  useKeys(
    'ends',
    () => engine.seek(engine.film.start),
    () => engine.seek(engine.film.end),
  )
  useKeys(
    'outerEnds',
    () => engine.seek(engine.event.start),
    () => engine.seek(engine.event.end),
  )
  const acts = useStable({
    undo: () => undoInside() || step('undo'),
    redo: () => step('redo'),
    nameMark: (markId: string, name: string | null) => {
      if (name) edit([{ type: 'changeMark', markId, change: { name } }], 'name a mark')
      setNaming(null)
    },
  })
  useKeys('undo', acts.undo)
  useKeys('redo', acts.redo)
  const mark = (): { id: string; time: Flicks } => {
    const id = newId()
    const time = engine.now()
    edit(
      [{ type: 'addMarks', marks: [{ id, time, kind: 'cue', name: `Cue ${project.doc.marks.length + 1}`, hue: project.doc.marks.length % 12 }] }],
      'drop a mark',
    )
    return { id, time }
  }
  useKeys('mark', mark)
  const toMark = (by: 1 | -1) => {
    const now = engine.now()
    const marks = marksOnMaster(project.doc)
    const next = by > 0 ? marks.find((m) => m.time > now + 1) : marks.findLast((m) => m.time < now - 1)
    if (next) engine.seek(next.time)
  }
  useKeys(
    'stepMark',
    () => toMark(-1),
    () => toMark(1),
  )
  useKeys('namedMark', () => setNaming(mark().id))

  const top = (middle: ReactNode) => (
    <div className="top">
      <span className="name" title={project.name}>
        {project.name}
      </span>
      {middle}
      <Waiting />
      <UndoRedo canUndo={project.canUndo} canRedo={project.canRedo} onUndo={acts.undo} onRedo={acts.redo} />
      {/* Pulse has them at its side. */}
      {stage !== 'pulse' && <MarksButton open={marksOpen} onOpen={setMarksOpen} />}
      <Steps projectId={project.id} revision={project.revision} onStep={step} />
    </div>
  )
  const View = VIEWS[stage]
  return (
    <>
      <Guarded shows={[stage, project.doc]}>
        <Suspense fallback={<Spin style={{ margin: 'auto' }} />}>
          <View project={project} edit={edit} top={top} />
        </Suspense>
      </Guarded>
      {marksOpen && stage !== 'pulse' && <MarksBeside project={project} edit={edit} onClose={() => setMarksOpen(false)} />}
      {naming && <NameMark key={naming} markId={naming} onDone={acts.nameMark} />}
    </>
  )
}

interface UndoRedoProps extends Pick<ProjectState, 'canUndo' | 'canRedo'> {
  readonly onUndo: () => void
  readonly onRedo: () => void
}

const UndoRedo = memo(function UndoRedo({ canUndo, canRedo, onUndo, onRedo }: UndoRedoProps) {
  return (
    <>
      <Tooltip title={canUndo ? `Undo: ${canUndo}` : 'Nothing to undo'}>
        <Button type="text" size="small" aria-label="Undo" disabled={!canUndo} icon={<Undo2 size={16} />} onClick={onUndo} />
      </Tooltip>
      <Tooltip title={canRedo ? `Redo: ${canRedo}` : 'Nothing to redo'}>
        <Button type="text" size="small" aria-label="Redo" disabled={!canRedo} icon={<Redo2 size={16} />} onClick={onRedo} />
      </Tooltip>
    </>
  )
})

function NameMark({ markId, onDone }: { markId: string; onDone: (markId: string, name: string | null) => void }) {
  const [name, setName] = useState('')
  const keep = () => onDone(markId, name.trim() || null)
  return (
    <Modal
      open
      mask={{ closable: false }}
      title="Name this mark"
      okText="Name it"
      onOk={keep}
      onCancel={() => onDone(markId, null)}
      width={360}
      destroyOnHidden
    >
      <Input
        autoFocus
        value={name}
        onChange={(e) => setName(e.target.value)}
        onPressEnter={keep}
        aria-label="Name of the mark"
        placeholder="First word, drop, ring …"
      />
    </Modal>
  )
}
