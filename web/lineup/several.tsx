import type { ProjectState } from '@pendolo/api'
import { clockOf, POINT_KINDS } from '@pendolo/core/project'
import { Button } from 'antd'
import type { StageProps } from '../stage.ts'

interface SeveralProps extends Pick<StageProps, 'edit'> {
  readonly project: ProjectState
  readonly clipIds: readonly string[]
  readonly onSearch: () => void
}

/** What can be done with many clips at once. */
export function Several({ project, clipIds, edit, onSearch }: SeveralProps) {
  const { doc, files } = project
  const ids = [...clipIds]
  const placed = ids.filter((id) => doc.placements[id])
  const locked = placed.filter((id) => doc.placements[id].locked)
  const free = ids.filter((id) => !doc.placements[id]?.locked)
  const master = doc.clips[clockOf(doc) ?? '']
  return (
    <>
      <h3>{ids.length} clips chosen</h3>
      <ul className="quiet" style={{ paddingLeft: 18, margin: '6px 0', maxHeight: 120, overflow: 'auto' }}>
        {ids.map((id) => (
          <li key={id}>
            {files.find((f) => f.id === doc.clips[id].fileId)?.name} · {doc.placements[id]?.verdict ?? 'loose'}
          </li>
        ))}
      </ul>
      <div className="buttons">
        <Button size="small" type="primary" disabled={placed.length === 0} onClick={() => edit([{ type: 'accept', clipIds: placed }], 'accept')}>
          Accept
        </Button>
        <Button size="small" disabled={free.length === 0} onClick={onSearch}>
          Search again
        </Button>
        <Button
          size="small"
          disabled={placed.length === 0}
          onClick={() => edit([{ type: 'lock', clipIds: placed, locked: locked.length < placed.length }], locked.length < placed.length ? 'lock' : 'unlock')}
        >
          {placed.length > 0 && locked.length === placed.length ? 'Unlock' : 'Lock'}
        </Button>
        <Button size="small" disabled={free.length === 0} onClick={() => edit([{ type: 'park', clipIds: free, parked: true }], 'park')}>
          Park
        </Button>
        {POINT_KINDS.filter((point) => master?.points?.[point] !== undefined).map((point) => {
          const ready = free.filter((id) => doc.clips[id].points?.[point] !== undefined)
          return (
            <Button
              key={point}
              size="small"
              disabled={ready.length === 0}
              onClick={() => edit([{ type: 'placeByPoint', clipIds: ready, point }], `place by the ${point}`)}
            >
              Place {ready.length} by {point === 'mark' ? 'their marks' : `their ${point} points`}
            </Button>
          )
        })}
      </div>
      <p className="quiet">[ ] moves them together · Enter accepts · Alt + L locks · Ctrl or Shift + click adds and takes away</p>
    </>
  )
}
