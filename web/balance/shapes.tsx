import type { GatheredFile } from '@pendolo/api'
import { anglesInUse, type Clip, pictureSpans } from '@pendolo/core/project'
import { Segmented } from 'antd'
import { useMemo } from 'react'
import type { StageProps } from '../stage.ts'
import { Bob } from '../ui/bob.tsx'
import { Looks } from './looks.tsx'

interface ShapesProps extends Pick<StageProps, 'project' | 'edit'> {
  /** The angle that is looked at; null for the programme. */
  readonly angleId: string | null
  readonly onAngle: (angleId: string | null) => void
}

/** How pictures of each angle sit in the frame, and how they are corrected. */
export function Shapes({ project: { doc, files }, angleId, edit, onAngle }: ShapesProps) {
  const spans = useMemo(() => pictureSpans(doc, (id) => files.find((f) => f.id === id)?.facts), [doc, files])
  const angles = anglesInUse(doc).filter((a) => spans.some((s) => s.angleId === a.id))
  const chosen = angles.find((a) => a.id === angleId)
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
      {chosen ? (
        <Looks key={chosen.id} angle={chosen} angles={angles} edit={edit} />
      ) : (
        <p className="quiet">
          Choose an angle to correct its pictures; it counts for every stretch of it. Fit shows the whole picture with bars, fill fills the frame and cuts the
          edges.
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
