import type { ProjectState } from '@pendolo/api'
import { type Clip, clockOf, POINT_KINDS, type PointKind, projectRate, SOUND_SPEED } from '@pendolo/core/project'
import { type Flicks, flicks, printTimecode } from '@pendolo/core/time'
import { Button, InputNumber } from 'antd'
import { X } from 'lucide-react'
import { useEffect, useState } from 'react'
import { proofStamp, useProof } from '../data/queries.ts'
import type { StageProps } from '../stage.ts'
import { keyText } from '../ui/keymap.ts'

const NAMES: Record<PointKind, string> = { mark: 'mark', in: 'in', out: 'out' }

interface PointsProps extends Pick<StageProps, 'edit'> {
  readonly project: ProjectState
  readonly clip: Clip
  readonly onSet: (clipId: string | null, point: PointKind) => void
  readonly onSearchNear: (start: Flicks) => void
}

/** Points set by eye in the clip and on the master, and placing by them; how far away the camera stood. */
export function Points({ project, clip, edit, onSet, onSearchNear }: PointsProps) {
  const { doc } = project
  const master = doc.clips[clockOf(doc) ?? '']
  const placement = doc.placements[clip.id]
  const angle = doc.angles.find((a) => a.id === clip.angleId)
  const style = { rate: projectRate(doc.settings), dropFrame: doc.settings.dropFrame }
  const label = (time: Flicks | undefined, start = 0) => (time === undefined ? '–' : printTimecode(time, style, start))
  const near = clip.points?.mark !== undefined && master?.points?.mark !== undefined ? flicks(master.points.mark - clip.points.mark) : null
  const [metres, setMetres] = useState<number | null>(angle?.distance ?? null)
  const { data: proof } = useProof(project.id, project.files.find((f) => f.id === clip.fileId)?.facts.audio ? clip.id : null, proofStamp(project, clip.id))
  const late = proof?.proof.late
  const proposed = late ? Math.round(late.seconds * SOUND_SPEED) : null
  useEffect(() => setMetres(angle?.distance ?? null), [angle?.distance])
  const clear = (clipId: string, point: PointKind) =>
    edit([{ type: 'clipPoint', clipId, point, time: null }], `clear the ${point === 'mark' ? 'mark' : `${point} point`}`)
  const keepDistance = () => {
    if (angle && (metres ?? 0) !== (angle.distance ?? 0)) edit([{ type: 'angleDistance', angleId: angle.id, metres: metres ?? 0 }], 'set the sound distance')
  }
  return (
    <details className="points" open={clip.points !== undefined}>
      <summary>Points and distance</summary>
      <table>
        <thead>
          <tr>
            <th />
            <th>in the clip</th>
            <th>on the master</th>
            <th aria-label="what to do" />
          </tr>
        </thead>
        <tbody>
          {POINT_KINDS.map((point) => (
            <tr key={point} aria-label={`${NAMES[point]} point`}>
              <th>{NAMES[point]}</th>
              <td>
                <Button
                  size="small"
                  type="text"
                  className="mono"
                  onClick={() => onSet(clip.id, point)}
                  title={`set it where the clip's picture stands (${keyText('points', POINT_KINDS.indexOf(point))})`}
                >
                  {label(clip.points?.[point])}
                </Button>
                <Clear set={clip.points?.[point]} name={`${NAMES[point]} in the clip`} onClear={() => clear(clip.id, point)} />
              </td>
              <td>
                <Button
                  size="small"
                  type="text"
                  className="mono"
                  onClick={() => onSet(clockOf(doc), point)}
                  title={`set it where the playhead stands (${keyText('masterPoints', POINT_KINDS.indexOf(point))})`}
                >
                  {label(master?.points?.[point], doc.settings.startFrame)}
                </Button>
                <Clear set={master?.points?.[point]} name={`${NAMES[point]} on the master`} onClear={() => master && clear(master.id, point)} />
              </td>
              <td>
                <Button
                  size="small"
                  disabled={clip.points?.[point] === undefined || master?.points?.[point] === undefined || placement?.locked}
                  aria-label={`Place by the ${NAMES[point]}${point === 'mark' ? '' : ' point'}`}
                  onClick={() => edit([{ type: 'placeByPoint', clipIds: [clip.id], point }], `place by the ${NAMES[point]}`)}
                >
                  place
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div style={{ display: 'flex', gap: 6, alignItems: 'center', flexWrap: 'wrap' }}>
        <Button size="small" disabled={near === null || placement?.locked} onClick={() => near !== null && onSearchNear(near)}>
          Search near the marks
        </Button>
        <span style={{ flex: 1 }} />
        <label htmlFor="sound-distance" className="quiet">
          sound came from
        </label>
        <InputNumber
          id="sound-distance"
          size="small"
          min={0}
          max={2000}
          value={metres}
          suffix="m"
          style={{ width: 76 }}
          onChange={setMetres}
          onBlur={keepDistance}
          onPressEnter={keepDistance}
        />
        {proposed !== null && proposed !== Math.round(angle?.distance ?? 0) && angle && (
          <Button
            size="small"
            type="primary"
            ghost
            title={`By ${late?.by} its picture lies ${Math.round((late?.seconds ?? 0) * 1000)} ms later than its sound`}
            onClick={() => edit([{ type: 'angleDistance', angleId: angle.id, metres: proposed }], 'set the sound distance')}
          >
            about {proposed} m
          </Button>
        )}
      </div>
    </details>
  )
}

function Clear({ set, name, onClear }: { set: Flicks | undefined; name: string; onClear: () => void }) {
  return set === undefined ? null : <Button size="small" type="text" icon={<X size={12} />} aria-label={`Clear the ${name}`} onClick={onClear} />
}
