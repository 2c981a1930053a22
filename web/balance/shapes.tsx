import type { GatheredFile } from '@pendolo/api'
import type { Stretch } from '@pendolo/core/mix'
import { anglesInUse, type Clip, pictureSpans, projectRate } from '@pendolo/core/project'
import { frameStart } from '@pendolo/core/time'
import { Segmented } from 'antd'
import { useMemo } from 'react'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { Bob } from '../ui/bob.tsx'
import { FramingNumbers } from './framing.tsx'
import { Looks } from './looks.tsx'
import { cutoutEdit, cutoutIn, placeToSee, type Scope, scopeOf } from './seen-as.ts'
import { WhereSeen } from './where-seen.tsx'

/** What is changed about pictures: which angle, or one stretch of it, and what of it. */
export interface Picturing {
  /** null for the programme, which is only looked at. */
  readonly angleId: string | null
  /** null for all of the angle. */
  readonly exceptionId: string | null
  readonly end: Scope['end']
  readonly part: 'colour' | 'framing'
}
export const LOOKS_AT_PROGRAMME: Picturing = { angleId: null, exceptionId: null, end: 'start', part: 'colour' }

interface ShapesProps extends Pick<StageProps, 'project' | 'edit'> {
  readonly picturing: Picturing
  readonly onPicturing: (picturing: Picturing) => void
  /** The range that is chosen, else the stretch of the cut at the playhead. */
  readonly stretch: () => Stretch | null
}

/** How pictures of each angle sit in the frame, and how they are corrected. */
export function Shapes({ project: { doc, files }, picturing, edit, onPicturing, stretch }: ShapesProps) {
  const { angleId, exceptionId, end, part } = picturing
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
  return (
    <div className="shapes">
      <div className="shapes-list">
        <button type="button" className="plain" style={{ padding: '3px 0' }} onClick={() => onAngle(null)} aria-pressed={angleId === null}>
          Programme: what the film shows
        </button>
        {anglesInUse(doc).map((a, i) =>
          angles.includes(a) ? (
            <div key={a.id} style={{ display: 'grid', gridTemplateColumns: '24px 1fr auto', gap: 8, alignItems: 'center', padding: '3px 0' }}>
              <Bob index={i} hue={a.hue} lit={a.id === angleId} />
              <button type="button" className="plain" style={{ textAlign: 'left' }} onClick={() => onAngle(a.id)} aria-pressed={a.id === angleId}>
                {a.name}
                <span className="quiet mono">{` ${shapeOf(files, Object.values(doc.clips), a.id)}`}</span>
                {a.look && <span className="quiet"> corrected</span>}
                {a.cutout && <span className="quiet"> framed</span>}
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
                  { value: 'framing' as const, label: 'Framing' },
                ]}
              />
            }
            settings={doc.settings}
            exceptions={doc.exceptions}
            scope={scope}
            stretch={stretch}
            onScope={onScope}
            edit={edit}
          />
          {part === 'colour' ? (
            <Looks key={scope.angle.id} scope={scope} angles={angles} edit={edit} />
          ) : (
            <FramingNumbers
              key={scope.angle.id}
              name={scope.angle.name}
              cutout={cutoutIn(scope)}
              onChange={(cutout, group) => edit([cutoutEdit(scope, cutout)], 'frame an angle', group)}
            />
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

function shapeOf(files: readonly GatheredFile[], clips: readonly Clip[], angleId: string): string {
  const clip = clips.find((c) => c.angleId === angleId)
  const video = files.find((f) => f.id === clip?.fileId)?.facts.video
  return video ? `${video.width}×${video.height}` : ''
}
