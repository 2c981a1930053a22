import type { GatheredFile, ProjectState } from '@pendolo/api'
import { anglesInUse, type Clip, isMaster, pictureSpans, stripOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { Button, Segmented } from 'antd'
import { Headphones } from 'lucide-react'
import { type ReactNode, useEffect, useMemo, useState } from 'react'
import { Link } from 'react-router'
import { EngineCanvas } from '../playback/engine-canvas.tsx'
import { filmFor } from '../playback/film.ts'
import { channelAlone, eventOf } from '../playback/model.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import { MasterTime } from '../score/master-time.tsx'
import { Playhead } from '../score/playhead.tsx'
import { type TimeView, useSize } from '../score/time-view.ts'
import type { StageProps } from '../stage.ts'
import { Bob } from '../ui/bob.tsx'
import { Paper } from '../ui/paper.tsx'
import type { Alone } from './channel-rows.tsx'
import { KNOBS, NAMES, StripRow } from './strip-row.tsx'

/** Which sounds are heard and how loud, and how pictures of another shape sit in the frame. */
export function Balance({ project, edit, top }: StageProps) {
  const { doc, files } = project
  const playing = useEngine((s) => s.playing)
  const event = eventOf(project)
  const view = { from: event.start / FLICKS_PER_SECOND, span: Math.max(1, (event.end - event.start) / FLICKS_PER_SECOND) }
  const [angleId, setAngleId] = useState<string | null>(null)
  const angles = anglesInUse(doc)
  /** The angle that is looked at by itself; without one the programme is shown. */
  const angle = angles.find((a) => a.id === angleId) ?? null
  const clips = Object.values(doc.clips)
    .filter((c) => c.state === 'in' && doc.placements[c.id] && files.find((f) => f.id === c.fileId)?.facts.audio)
    .sort((a, b) => rank(a) - rank(b) || doc.placements[a.id].start - doc.placements[b.id].start)
  function rank(c: Clip): number {
    return isMaster(doc, c.id) ? -1 : doc.angles.findIndex((a) => a.id === c.angleId)
  }
  const [alone, hearAlone] = useAlone(project)
  const film = filmFor(project)
  const hasPicture = useEngine(({ time }) => (angle ? film.clipAt(angle.id, time) !== null : true))
  const heard = clips.filter((c) => stripOf(doc, c.id).on).length
  if (clips.length === 0) {
    return (
      <>
        {top(<span className="spring" />)}
        <Paper className="body">
          <div className="empty">
            <h2>Nothing to balance yet</h2>
            <p>When a master is chosen and cameras are lined up, their sounds stand here one below the other.</p>
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
          <span>
            {heard} of {clips.length} sounds heard
          </span>
          {alone && (
            <Button size="small" type="primary" icon={<Headphones size={14} />} onClick={() => hearAlone(null)}>
              only one channel is heard: hear all again
            </Button>
          )}
          <span className="spring" />
          <MasterTime settings={doc.settings} />
          <Button type="text" size="small" onClick={() => engine.toggle()}>
            {playing ? 'Stop' : 'Play'}
          </Button>
          <span className="spring" />
        </>,
      )}
      <div className="balance">
        <div className="upper">
          <div style={{ position: 'relative', background: '#000', display: 'flex', justifyContent: 'center' }}>
            <div style={{ height: '100%', aspectRatio: `${doc.settings.width} / ${doc.settings.height}`, maxWidth: '100%' }}>
              {angle ? (
                <EngineCanvas key={angle.id} source={{ kind: 'angle', angleId: angle.id }} name="balance" label="Picture of the angle in the frame" />
              ) : (
                <EngineCanvas key="programme" source={{ kind: 'programme' }} name="programme" label="Programme" />
              )}
            </div>
            {!hasPicture && (
              <span className="quiet" style={{ position: 'absolute', top: '48%' }}>
                no picture here
              </span>
            )}
          </div>
          <Shapes project={project} angleId={angle?.id ?? null} edit={edit} onAngle={setAngleId} />
        </div>
        <Paper className="strips">
          <Strips view={view}>
            {clips.map((c) => (
              <StripRow
                key={c.id}
                clip={c}
                name={isMaster(doc, c.id) ? 'Master' : (doc.angles.find((a) => a.id === c.angleId)?.name ?? 'Sound')}
                file={files.find((f) => f.id === c.fileId) as GatheredFile}
                start={doc.placements[c.id].start / FLICKS_PER_SECOND}
                rate={doc.placements[c.id].rate}
                strip={stripOf(doc, c.id)}
                view={view}
                alone={alone}
                edit={edit}
                onAlone={hearAlone}
              />
            ))}
          </Strips>
        </Paper>
      </div>
    </>
  )
}

/** The channel that is heard by itself, if one is; choosing one begins to play. */
function useAlone(project: ProjectState): [Alone | null, (wanted: Alone | null) => void] {
  const [alone, setAlone] = useState<Alone | null>(null)
  useEffect(() => {
    const sound = alone && channelAlone(project, alone.clipId, alone.key)
    engine.listenTo(sound)
  }, [alone, project])
  useEffect(() => () => engine.listenTo(null), [])
  const hear = (wanted: Alone | null) => {
    setAlone(wanted)
    if (wanted && !engine.getState().playing) void engine.play()
  }
  return [alone, hear]
}

interface ShapesProps {
  readonly project: ProjectState
  /** The angle that is looked at; null for the programme. */
  readonly angleId: string | null
  readonly edit: StageProps['edit']
  readonly onAngle: (angleId: string | null) => void
}

/** How pictures of another shape sit in the frame, angle by angle. */
function Shapes({ project: { doc, files }, angleId, edit, onAngle }: ShapesProps) {
  const spans = useMemo(() => pictureSpans(doc, (id) => files.find((f) => f.id === id)?.facts), [doc, files])
  return (
    <div style={{ background: 'var(--panel)', padding: '12px 16px', overflow: 'auto' }}>
      <h3>Shape of the picture</h3>
      <p className="quiet" style={{ margin: '4px 0 10px' }}>
        Fit shows the whole picture with bars; fill fills the frame and cuts the edges. It counts for every stretch of the angle.
      </p>
      <button type="button" className="plain" style={{ padding: '3px 0' }} onClick={() => onAngle(null)} aria-pressed={angleId === null}>
        Programme: what the film shows
      </button>
      {anglesInUse(doc).map((a, i) =>
        spans.some((s) => s.angleId === a.id) ? (
          <div key={a.id} style={{ display: 'grid', gridTemplateColumns: '24px 1fr auto', gap: 8, alignItems: 'center', padding: '3px 0' }}>
            <Bob index={i} hue={a.hue} lit={a.id === angleId} />
            <button type="button" className="plain" style={{ textAlign: 'left' }} onClick={() => onAngle(a.id)} aria-pressed={a.id === angleId}>
              {a.name} <span className="quiet mono">{shapeOf(files, Object.values(doc.clips), a.id)}</span>
            </button>
            <Segmented
              size="small"
              value={a.framing}
              aria-label={`Shape of ${a.name}`}
              onChange={(framing) => {
                onAngle(a.id)
                edit([{ type: 'frameAngle', angleId: a.id, framing }], 'frame an angle')
              }}
              options={[
                { value: 'fit' as const, label: 'fit' },
                { value: 'fill' as const, label: 'fill' },
              ]}
            />
          </div>
        ) : null,
      )}
    </div>
  )
}

/** The sounds one below the other, with one playhead over all of them. */
function Strips({ view, children }: { view: TimeView; children: ReactNode }) {
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const waves = Math.max(0, width - NAMES - KNOBS)
  return (
    <div ref={ref} style={{ position: 'relative' }}>
      {children}
      <Playhead view={view} left={NAMES} width={waves} height={height} />
    </div>
  )
}

function shapeOf(files: readonly GatheredFile[], clips: readonly Clip[], angleId: string): string {
  const clip = clips.find((c) => c.angleId === angleId)
  const video = files.find((f) => f.id === clip?.fileId)?.facts.video
  return video ? `${video.width}×${video.height}` : ''
}
