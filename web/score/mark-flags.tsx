import { type Edit, type Mark, markOf, type ProjectDoc } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, type Rate } from '@pendolo/core/time'
import { Button, Input } from 'antd'
import { Trash2 } from 'lucide-react'
import { type KeyboardEvent, useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import { FLAG_HEIGHT, FLAG_TOP, type Flag } from './flags.ts'
import { type Geometry, LABELS } from './geometry.ts'
import { useDragged } from './use-dragged.ts'

interface Props {
  readonly geometry: Geometry
  readonly doc: ProjectDoc
  readonly flags: readonly Flag[]
  readonly rate: Rate
  readonly label: (time: Flicks) => string
  readonly edit: (edits: Edit[], label: string) => unknown
}

/** A mark moved by a time of the master: one that stands on a clip by as much of the clip's. */
export function movedMark(doc: ProjectDoc, id: string, by: number): Edit {
  const own = markOf(doc.marks, id) as Mark
  const rate = own.clipId === undefined ? 1 : (doc.placements[own.clipId]?.rate ?? 1)
  const step = Math.round(by / rate)
  return { type: 'changeMark', markId: id, change: { time: flicks(own.time + step), ...(own.end !== undefined && { end: flicks(own.end + step) }) } }
}

/** The names of marks over the score: dragged, named anew and removed where they stand. */
export function MarkFlags({ geometry, doc, flags, rate, label, edit }: Props) {
  const [naming, setNaming] = useState<string | null>(null)
  return (
    <>
      {flags.map((flag) =>
        flag.x < LABELS - 1 ? null : naming === flag.mark.id ? (
          <Naming key={flag.mark.id} flag={flag} edit={edit} onClose={() => setNaming(null)} />
        ) : (
          <FlagButton
            key={flag.mark.id}
            geometry={geometry}
            doc={doc}
            flag={flag}
            rate={rate}
            label={label}
            edit={edit}
            onName={() => setNaming(flag.mark.id)}
          />
        ),
      )}
    </>
  )
}

function FlagButton({ geometry, doc, flag, rate, label, edit, onName }: Omit<Props, 'flags'> & { flag: Flag; onName: () => void }) {
  const { mark, x, width } = flag
  const [dragged, handlers] = useDragged({
    geometry,
    rate,
    time: mark.time,
    onMove: (time) => edit([movedMark(doc, mark.id, time - mark.time)], 'move a mark'),
    onPress: () => engine.seek(mark.time),
  })
  const by = (dragged ?? mark.time) - mark.time
  const remove = () => edit([{ type: 'removeMarks', markIds: [mark.id] }], 'remove a mark')
  const press = (event: KeyboardEvent) => {
    const step = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0
    if (step !== 0) edit([movedMark(doc, mark.id, step * frameStart(1, rate))], 'move a mark')
    else if (event.key === 'Delete') remove()
    else if (event.key === 'F2') onName()
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  const shift = (by / FLICKS_PER_SECOND / geometry.view.span) * geometry.plotWidth
  return (
    <button
      type="button"
      className={by === 0 ? 'mark-flag' : 'mark-flag dragged'}
      data-own-gestures
      title={`${mark.name}: drag it; a double press names it anew`}
      aria-label={`mark ${mark.name} at ${label(mark.time)}`}
      style={{ left: x + shift, top: FLAG_TOP, width, height: FLAG_HEIGHT }}
      onKeyDown={press}
      onClick={(e) => e.detail === 0 && engine.seek(mark.time)}
      onDoubleClick={(e) => {
        e.stopPropagation()
        onName()
      }}
      {...handlers}
    >
      {by === 0 ? '' : mark.name}
    </button>
  )
}

function Naming({ flag: { mark, x }, edit, onClose }: { flag: Flag; edit: Props['edit']; onClose: () => void }) {
  const [name, setName] = useState(mark.name)
  const keep = () => {
    if (name.trim() !== '' && name.trim() !== mark.name) edit([{ type: 'changeMark', markId: mark.id, change: { name: name.trim() } }], 'name a mark')
    onClose()
  }
  return (
    <span className="mark-naming" data-own-gestures style={{ left: x, top: FLAG_TOP - 4 }} onPointerDown={(e) => e.stopPropagation()}>
      <Input
        size="small"
        autoFocus
        aria-label="Name of the mark"
        value={name}
        maxLength={120}
        onFocus={(e) => e.target.select()}
        onChange={(e) => setName(e.target.value)}
        onPressEnter={keep}
        onBlur={keep}
        onKeyDown={(e) => e.key === 'Escape' && onClose()}
      />
      <Button
        size="small"
        aria-label="Remove the mark"
        icon={<Trash2 size={13} />}
        onMouseDown={(e) => {
          e.preventDefault()
          edit([{ type: 'removeMarks', markIds: [mark.id] }], 'remove a mark')
          onClose()
        }}
      />
    </span>
  )
}
