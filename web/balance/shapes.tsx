import type { GatheredFile } from '@pendolo/api'
import type { Stretch } from '@pendolo/core/mix'
import { type Angle, anglesInUse, type Clip, pictureSpans, projectRate } from '@pendolo/core/project'
import { flicks, frameStart } from '@pendolo/core/time'
import { Button, Segmented } from 'antd'
import { memo, useMemo } from 'react'
import { newId } from '../ids.ts'
import { filmFor } from '../playback/film.ts'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { Bob } from '../ui/bob.tsx'
import { useKept } from '../ui/kept.ts'
import { useStable } from '../ui/stable.ts'
import { CurvesPanel } from './curves.tsx'
import { FramingNumbers } from './framing.tsx'
import { Looks } from './looks.tsx'
import { cutoutEdit, cutoutIn, lookEdit, lookIn, placeToSee, type Scope, scopeOf } from './seen-as.ts'
import { Steady } from './steady.tsx'
import { useAhead } from './use-ahead.ts'
import { WhereSeen } from './where-seen.tsx'

/** What is changed about pictures: which angle, or one stretch of it, and what of it. */
export interface Picturing {
  /** null for the programme, which is only looked at. */
  readonly angleId: string | null
  /** null for all of the angle. */
  readonly exceptionId: string | null
  readonly end: Scope['end']
  readonly part: 'colour' | 'curves' | 'framing'
  /** Whether its pictures are measured. */
  readonly scopes: boolean
}
export const LOOKS_AT_PROGRAMME: Picturing = { angleId: null, exceptionId: null, end: 'start', part: 'colour', scopes: false }

interface ShapesProps extends Pick<StageProps, 'project' | 'edit'> {
  readonly picturing: Picturing
  readonly onPicturing: (picturing: Picturing) => void
  /** The range that is chosen, else the stretch of the cut at the playhead. */
  readonly stretch: () => Stretch | null
}

/** How pictures of each angle sit in the frame, and how they are corrected. */
export function Shapes({ project, picturing, edit, onPicturing, stretch }: ShapesProps) {
  const { doc, files } = project
  const { angleId, exceptionId, end, part } = picturing
  const ahead = useAhead({ project, edit })
  const spans = useMemo(() => pictureSpans(doc, (id) => files.find((f) => f.id === id)?.facts), [doc, files])
  const angles = anglesInUse(doc).filter((a) => spans.some((s) => s.angleId === a.id))
  const onAngle = (id: string | null) => onPicturing(id === angleId ? picturing : { ...picturing, angleId: id, exceptionId: null, end: 'start' })
  const scope = scopeOf(doc, angleId, exceptionId, end)
  const onScope = (id: string | null, at: Scope['end']) => {
    onPicturing({ ...picturing, exceptionId: id, end: at })
    // The playhead goes where what is changed is seen.
    const next = scopeOf(doc, angleId, id, at)
    const place = next && placeToSee(next, engine.now(), frameStart(1, projectRate(doc.settings)))
    if (place !== null && !engine.getState().playing) engine.seek(place)
  }
  /** The clip that is seen of an angle at the playhead, and all of its time. */
  const clipOf = ({ id }: Angle) => {
    const clipId = filmFor(project).takeIn(doc.activeCutId, id, engine.now())?.clipId
    const own = spans.filter((s) => s.clipId === clipId && s.angleId === id)
    if (clipId === undefined || own.length === 0) return null
    return { clipId, from: flicks(Math.min(...own.map((s) => s.start))), to: flicks(Math.max(...own.map((s) => s.end))) }
  }
  const twice = ({ id, name, of }: Angle) => {
    if (of !== undefined)
      return {
        label: 'Remove this framing',
        title: 'stretches that show it show the angle again that it was made from',
        act: () => edit([{ type: 'seeOnce', angleId: id }], 'remove a second framing') && onAngle(of),
      }
    return {
      label: 'Second framing',
      title: 'the same pictures once more, as an angle of its own that is framed in its own way',
      act: () => {
        const other = newId()
        if (edit([{ type: 'seeTwice', angleId: id, id: other, name: `${name} close`.slice(0, 120) }], 'a second framing')) onAngle(other)
      },
    }
  }
  return (
    <div className="shapes">
      <AngleList project={project} angles={angles} picturing={picturing} edit={edit} onPicturing={onPicturing} onAngle={onAngle} />
      {scope ? (
        <div className="seen-as">
          <WhereSeen
            head={
              <Segmented
                size="small"
                aria-label="What is changed of the pictures"
                value={part}
                onChange={(next) => onPicturing({ ...picturing, part: next })}
                options={[
                  { value: 'colour' as const, label: 'Colour' },
                  { value: 'curves' as const, label: 'Curves' },
                  { value: 'framing' as const, label: 'Framing' },
                ]}
              />
            }
            settings={doc.settings}
            exceptions={doc.exceptions}
            scope={scope}
            part={part === 'framing' ? 'framing' : 'look'}
            stretch={stretch}
            clip={() => clipOf(scope.angle)}
            nameOf={(id) => nameOfClip(project, id)}
            several={new Set(spans.flatMap((s) => (s.angleId === scope.angle.id ? [s.clipId] : []))).size > 1}
            onScope={onScope}
            edit={edit}
          />
          {part === 'curves' ? (
            <CurvesPanel
              key={`${scope.angle.id} ${scope.exception?.id}`}
              name={scope.angle.name}
              look={lookIn(scope)}
              onChange={(look, label, group) => ahead([lookEdit(scope, look)], label, group)}
            />
          ) : part === 'colour' ? (
            <Looks key={`${scope.angle.id} ${scope.exception?.id}`} project={project} scope={scope} angles={angles} edit={edit} />
          ) : (
            <FramingNumbers
              key={scope.angle.id}
              name={scope.angle.name}
              cutout={cutoutIn(scope)}
              twice={scope.exception ? null : twice(scope.angle)}
              onChange={(cutout, group) => ahead([cutoutEdit(scope, cutout)], 'frame an angle', group)}
            >
              {!scope.exception && <Steady project={project} angleId={scope.angle.id} edit={edit} />}
            </FramingNumbers>
          )}
        </div>
      ) : (
        <p className="quiet">
          Choose an angle to correct its pictures or to frame them anew; it counts for every stretch of it, or for one. Fit shows the whole picture with bars,
          fill fills the frame and cuts the edges.
        </p>
      )}
    </div>
  )
}

interface AngleListProps extends Pick<ShapesProps, 'project' | 'picturing' | 'edit' | 'onPicturing'> {
  /** Those that have pictures. */
  readonly angles: readonly Angle[]
  readonly onAngle: (id: string | null) => void
}

function AngleList({ project: { doc, files }, angles, picturing, edit, onPicturing, onAngle }: AngleListProps) {
  const { angleId } = picturing
  const clips = Object.values(doc.clips)
  const about = useKept(Object.fromEntries(angles.map((a) => [a.id, aboutAngle(files, clips, a)])))
  const acts = useStable({
    onAngle,
    onFraming: (id: string, framing: Angle['framing']) => {
      onAngle(id)
      edit([{ type: 'frameAngle', angleId: id, framing }], 'frame an angle')
    },
  })
  return (
    <div className="shapes-list">
      <Button
        size="small"
        style={{ float: 'right' }}
        type={picturing.scopes ? 'primary' : 'default'}
        aria-pressed={picturing.scopes}
        onClick={() => onPicturing({ ...picturing, scopes: !picturing.scopes })}
      >
        Scopes
      </Button>
      <button type="button" className="plain" style={{ padding: '3px 0' }} onClick={() => onAngle(null)} aria-pressed={angleId === null}>
        Programme: what the film shows
      </button>
      {anglesInUse(doc).map((a, i) =>
        angles.includes(a) ? (
          <AngleRow key={a.id} index={i} id={a.id} name={a.name} hue={a.hue} framing={a.framing} lit={a.id === angleId} about={about[a.id]} acts={acts} />
        ) : null,
      )}
    </div>
  )
}

interface AngleRowProps extends Pick<Angle, 'id' | 'name' | 'hue' | 'framing'> {
  readonly index: number
  readonly lit: boolean
  readonly about: readonly string[]
  readonly acts: { readonly onAngle: (id: string) => void; readonly onFraming: (id: string, framing: Angle['framing']) => void }
}

/** One angle to choose; while another one is corrected it is not drawn anew. */
const AngleRow = memo(function AngleRow({ index, id, name, hue, framing, lit, about: [shape, ...rest], acts }: AngleRowProps) {
  return (
    <div style={{ display: 'grid', gridTemplateColumns: '24px 1fr auto', gap: 8, alignItems: 'center', padding: '3px 0' }}>
      <Bob index={index} hue={hue} lit={lit} />
      <button type="button" className="plain" title={`${name} ${shape}`} onClick={() => acts.onAngle(id)} aria-pressed={lit}>
        {name}
        {rest.map((word) => (
          <span key={word} className="quiet">{` ${word}`}</span>
        ))}
      </button>
      <Segmented
        size="small"
        value={framing}
        aria-label={`Shape of ${name}`}
        onChange={(next) => acts.onFraming(id, next)}
        options={[
          { value: 'fit' as const, label: 'fit' },
          { value: 'fill' as const, label: 'fill' },
        ]}
      />
    </div>
  )
})

/** What a clip is called: its take, where it has one, else its file. */
function nameOfClip({ doc, files }: StageProps['project'], clipId: string): string {
  const clip = doc.clips[clipId]
  return clip?.take ?? files.find((f) => f.id === clip?.fileId)?.name ?? clipId
}

/** How large an angle's pictures are, and what was done to them. */
function aboutAngle(files: readonly GatheredFile[], clips: readonly Clip[], { id, of, look, cutout }: Angle): string[] {
  const clip = clips.find((c) => c.angleId === (of ?? id))
  const video = files.find((f) => f.id === clip?.fileId)?.facts.video
  const shape = video ? `${video.width}×${video.height}` : ''
  return [shape, ...(of ? ['2nd framing'] : []), ...(look ? ['corrected'] : []), ...(cutout ? ['framed'] : [])]
}
