import { nearestIndex, pointAt } from '@pendolo/core/cut'
import { activeCut } from '@pendolo/core/film'
import { pictureSpans, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks } from '@pendolo/core/time'
import { Button } from 'antd'
import { Pause, Play } from 'lucide-react'
import { memo, useDeferredValue, useMemo, useRef, useState } from 'react'
import { Link } from 'react-router'
import { useMaterial } from '../data/material.ts'
import { filmFor } from '../playback/film.ts'
import { MadeReady } from '../playback/prepared.tsx'
import { engine, useEngine } from '../playback/use-engine.ts'
import { MasterTime } from '../score/master-time.tsx'
import { Score } from '../score/score.tsx'
import type { StageProps } from '../stage.ts'
import { Paper } from '../ui/paper.tsx'
import { useStable } from '../ui/stable.ts'
import { ChosenBackground } from './chosen-background.tsx'
import { ChosenCuts } from './chosen-cuts.tsx'
import { ChosenInset } from './chosen-inset.tsx'
import { ChosenStill } from './chosen-still.tsx'
import { ChosenTitle } from './chosen-title.tsx'
import { lastText, useControllers } from './controllers.tsx'
import { MagnetChip } from './magnet.tsx'
import { Parts } from './parts.tsx'
import { NONE, pickedBy } from './picking.ts'
import { Follow, Pieces, type Range, RangeBar } from './programme.tsx'
import { usePattern } from './range-tools.tsx'
import { Rolling } from './rolling.tsx'
import { Rules } from './rules.tsx'
import { useStagePrefs } from './stage-prefs.ts'
import { StageView, useStageView } from './stage-view.tsx'
import { useCutting, useCuttingKeys } from './use-cutting.ts'
import { Versions } from './versions.tsx'

export function Switch({ project, edit, top }: StageProps) {
  const { doc } = project
  const cut = activeCut(doc)
  const points = cut.points
  const material = useMaterial(project)
  const spans = useMemo(() => {
    const facts = new Map(material.files.map((f) => [f.id, f.facts]))
    return pictureSpans(material.doc, (id) => facts.get(id))
  }, [material])
  const [range, setRange] = useState<Range | null>(null)
  const [chosenTimes, setPicked] = useState<readonly Flicks[]>(NONE)
  const [rolling, setRolling] = useState<{ readonly from: Flicks; readonly to: Flicks } | null>(null)
  // What was joined or moved by somebody else is chosen no longer.
  const picked = useMemo(() => (chosenTimes.length === 0 ? NONE : chosenTimes.filter((t) => points[pointAt(points, t)]?.time === t)), [chosenTimes, points])
  const [layerId, setLayerId] = useState<string | null>(null)
  const layer = layerId === null ? null : (cut.layers[layerId] ?? null)
  const [compared, setCompared] = useState<string | null>(null)
  const other = doc.cuts.find((c) => c.id === compared && c.id !== cut.id) ?? null
  const zoomRef = useRef<((factor: number) => void) | null>(null)
  const cutting = useCutting({ project, edit })
  usePattern({ project, edit, range })
  useCuttingKeys({ project, edit, cutting, picked, onPick: setPicked, zoom: (factor) => zoomRef.current?.(factor) })
  const actions = useStable({
    snap: cutting.snap,
    roll: cutting.roll,
    paint: (angleId: string, from: Flicks, to: Flicks) => edit([{ type: 'paint', cutId: cut.id, from, to, choice: { angleId } }], 'paint a stretch'),
    join: (t: Flicks) => edit([{ type: 'join', cutId: cut.id, times: [t] }], 'join'),
    choose: setRange,
    edit,
    keep: (ends: { start?: Flicks | null; end?: Flicks | null }) =>
      edit([{ type: 'keep', ...ends }], ends.start === undefined ? 'where the film ends' : 'where the film begins'),
    rolling: setRolling,
    pickLayer: (id: string) => {
      setRange(null)
      setPicked(NONE)
      setLayerId(id)
    },
    pick: (time: Flicks | null, how: 'alone' | 'too' | 'through') => setPicked((before) => pickedBy(points, before, time, how)),
  })
  const ruling = useEngine(({ time }) => points[pointAt(points, time)]?.angleId ?? null)
  const chosen = cutting.held?.angleId ?? ruling
  const controllers = useControllers({ project, cutting, chosen })
  const { lanes } = useStagePrefs()
  const stage = useStageView(controllers.items)
  const last = lastText({ project, cutting })
  // A cut is seen on stage and score first; what the bar says of it may come a moment later.
  const later = useDeferredValue(project)

  if (doc.angles.length === 0 || spans.length === 0) {
    return (
      <>
        {top(<span className="spring" />)}
        <Paper className="body">
          <div className="empty">
            <h2>Nothing to switch between yet</h2>
            <p>{doc.angles.length === 0 ? 'First bring the cameras in.' : 'The cameras have no place on the master’s time yet: line them up.'}</p>
            <Link to={`/${project.id}/${doc.angles.length === 0 ? 'gather' : 'line-up'}`}>
              <Button type="primary">{doc.angles.length === 0 ? 'Gather' : 'Line up'}</Button>
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
          <Above project={later} edit={actions.edit} compared={other?.id ?? null} onCompare={setCompared} />
          <LatePictures />
          <MadeReady projectId={project.id} />
          {stage.button}
        </>,
      )}
      {controllers.modal}
      <StageView
        view={stage}
        wall={{ project, spans, chosenAngle: chosen, waitingAngle: cutting.waiting, onChoose: cutting.choose, edit, last }}
        below={
          <div className="below">
            {rolling && <Rolling project={project} points={points} from={rolling.from} to={rolling.to} />}
            <Score
              project={project}
              spans={spans}
              points={points}
              actions={actions}
              chosenAngle={chosen}
              range={range}
              picked={picked}
              layerId={layerId}
              other={other}
              inLanes={lanes}
              zoomRef={zoomRef}
            />
            <RangeBar project={project} edit={edit} range={range} onRange={setRange} onPick={setPicked} onLayer={actions.pickLayer} />
            {range === null && layer && picked.length === 0 && <ChosenLayer project={project} edit={edit} layer={layer} onClose={() => setLayerId(null)} />}
            {range === null && <ChosenCuts project={project} edit={edit} points={points} picked={picked} onPick={setPicked} />}
          </div>
        }
      />
    </>
  )
}

function ChosenLayer(props: Parameters<typeof ChosenTitle>[0]) {
  if (props.layer.kind === 'title') return <ChosenTitle {...props} />
  if (props.layer.kind === 'still') return <ChosenStill {...props} />
  return props.layer.kind === 'background' ? <ChosenBackground {...props} /> : <ChosenInset {...props} />
}

/** The bar above the stage. */
const Above = memo(function Above({
  project,
  edit,
  compared,
  onCompare,
}: Pick<StageProps, 'project' | 'edit'> & { compared: string | null; onCompare: (cutId: string | null) => void }) {
  return (
    <>
      <Versions project={project} edit={edit} compared={compared} onCompare={onCompare} />
      <Pieces project={project} edit={edit} />
      <Parts project={project} />
      <span className="spring" />
      <Transport project={project} />
      <span className="spring" />
      <Rules project={project} edit={edit} />
      <MagnetChip project={project} edit={edit} />
    </>
  )
})

/** Where it stands and whether it plays. */
function Transport({ project }: Pick<StageProps, 'project'>) {
  const { doc } = project
  const playing = useEngine((s) => s.playing)
  const speed = useEngine((s) => s.speed)
  const { start, end } = filmFor(project).bounds.master
  const outside = useEngine(({ time }) => time < start || time > end)
  const pulse = pulseOf(doc)
  const bar = useEngine(({ time }) => (pulse ? barLabel(pulse, time) : ''))
  return (
    <>
      <span className="quiet">{outside ? 'outside the master' : bar}</span>
      <MasterTime settings={doc.settings} />
      <Button
        type="text"
        size="small"
        aria-label={playing ? 'Stop' : 'Play'}
        icon={playing ? <Pause size={16} /> : <Play size={16} />}
        onClick={() => engine.toggle()}
      />
      <Follow />
      <span className="quiet" style={{ width: 26 }}>
        {playing && speed !== 1 ? `${speed}×` : ''}
      </span>
    </>
  )
}

function LatePictures() {
  const late = useEngine((s) => s.health.late)
  // A few are no news; from one in a hundred on the machine does not keep up.
  const many = useEngine(({ health }) => health.late > 10 && health.late / health.due > 0.01)
  if (!many) return null
  return (
    <span className="quiet" title="Pictures that were not decoded in time since playing began" style={{ color: '#f0c46a' }}>
      {late} late
    </span>
  )
}

function barLabel(pulse: { beats: Flicks[]; downbeats: number[] }, time: Flicks): string {
  let beat = nearestIndex(pulse.beats, time)
  if (beat >= 0 && pulse.beats[beat] > time) beat--
  if (beat < 0 || time - pulse.beats[beat] > 2 * FLICKS_PER_SECOND) return ''
  const bar = pulse.downbeats.findLastIndex((d) => d <= beat)
  return bar < 0 ? '' : `bar ${bar + 1}.${beat - pulse.downbeats[bar] + 1}`
}
