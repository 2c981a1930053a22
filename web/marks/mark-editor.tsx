import type { ProjectState } from '@pendolo/api'
import { type Edit, HUE_COUNT, isMaster, MARK_KINDS, type Mark, type MarkKind, projectRate } from '@pendolo/core/project'
import { type Flicks, flicks, frameStart } from '@pendolo/core/time'
import { Button, Input, Select, Tooltip } from 'antd'
import { ChevronLeft, ChevronRight, Trash2 } from 'lucide-react'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { hueOf } from '../ui/theme.ts'

interface Props extends Pick<StageProps, 'edit'> {
  readonly project: ProjectState
  readonly marks: readonly Mark[]
  readonly onRemove: () => void
}

/** What can be done with the chosen mark, or with many at once. */
export function MarkEditor({ project, marks, edit, onRemove }: Props) {
  const { doc, files } = project
  const [only] = marks
  if (!only) return <p className="quiet">A click chooses a mark, Shift + click all between, Ctrl + click one more.</p>
  const one = marks.length === 1
  const many = one ? 'a mark' : `${marks.length} marks`
  const change = (to: Extract<Edit, { type: 'changeMark' }>['change'], what: string) =>
    edit(
      marks.map((m) => ({ type: 'changeMark', markId: m.id, change: to })),
      what,
    )
  const move = (frames: number) => {
    const by = frames * frameStart(1, projectRate(doc.settings))
    const moved = (t: Flicks) => flicks(Math.round(t + by))
    edit(
      marks.map((m) => ({ type: 'changeMark', markId: m.id, change: { time: moved(m.time), ...(m.end !== undefined && { end: moved(m.end) }) } })),
      `move ${many}`,
    )
  }
  const same = <T,>(of: (m: Mark) => T): T | undefined => (marks.every((m) => of(m) === of(only)) ? of(only) : undefined)
  const standing = Object.values(doc.clips)
    .filter((c) => !isMaster(doc, c.id) && doc.placements[c.id])
    .map((c) => ({ value: c.id, label: files.find((f) => f.id === c.fileId)?.name ?? c.id }))
  return (
    <fieldset className="mark-editor" aria-label={one ? `Mark ${only.name}` : `${marks.length} marks`} key={only.id}>
      <div className="line">
        {one ? (
          <Input
            size="small"
            key={`${only.id}${only.name}`}
            defaultValue={only.name}
            maxLength={120}
            placeholder="Name"
            aria-label="Name of the chosen mark"
            onBlur={(e) => {
              if (e.target.value.trim() !== only.name) change({ name: e.target.value.trim() }, 'name a mark')
            }}
            onPressEnter={(e) => e.currentTarget.blur()}
          />
        ) : (
          <b style={{ flex: 1 }}>{marks.length} marks chosen</b>
        )}
        <Select
          size="small"
          value={same((m) => m.kind)}
          placeholder="kinds"
          aria-label="Kind of the chosen marks"
          onChange={(kind: MarkKind) => change({ kind }, 'change a mark')}
          options={MARK_KINDS.map((k) => ({ value: k, label: k }))}
          style={{ width: 84, flex: 'none' }}
        />
        <Tooltip title="A frame earlier">
          <Button size="small" icon={<ChevronLeft size={14} />} aria-label="Chosen marks a frame earlier" onClick={() => move(-1)} />
        </Tooltip>
        <Tooltip title="A frame later">
          <Button size="small" icon={<ChevronRight size={14} />} aria-label="Chosen marks a frame later" onClick={() => move(1)} />
        </Tooltip>
        <Tooltip title="Remove (Backspace)">
          <Button size="small" icon={<Trash2 size={13} />} aria-label={`Remove ${one ? only.name : many}`} onClick={onRemove} />
        </Tooltip>
      </div>
      <Swatches hue={same((m) => m.hue)} onHue={(hue) => change({ hue }, 'colour a mark')} />
      {one && (
        <Input.TextArea
          key={`${only.id}${only.text}`}
          size="small"
          autoSize={{ minRows: 1, maxRows: 4 }}
          defaultValue={only.text}
          maxLength={4000}
          placeholder="Note"
          aria-label="Note of the chosen mark"
          onBlur={(e) => {
            if (e.target.value !== (only.text ?? '')) change({ text: e.target.value }, 'write a note')
          }}
        />
      )}
      <div className="line">
        <Select
          size="small"
          value={same((m) => m.clipId ?? 'master') ?? null}
          aria-label="What the chosen marks stand on"
          style={{ flex: 1, minWidth: 0 }}
          onChange={(on: string | null) =>
            edit(
              [{ type: 'standMarks', markIds: marks.map((m) => m.id), clipId: on === 'master' ? null : on }],
              `stand ${many} on ${on === 'master' ? 'the master' : 'a clip'}`,
            )
          }
          options={[{ value: 'master', label: 'stands on the master' }, ...standing.map((s) => ({ ...s, label: `moves with ${s.label}` }))]}
        />
        {one && only.clipId === undefined && (
          <Tooltip title="A range from the mark to the playhead; before the mark, a point again">
            <Button size="small" onClick={() => change({ end: engine.now() > only.time ? engine.now() : null }, 'set the end of a mark')}>
              End here
            </Button>
          </Tooltip>
        )}
      </div>
      {one && only.clipId === undefined && only.end !== undefined && (
        <Button
          size="small"
          title="Film and exchange files from its beginning to its end; the whole master comes back in Switch"
          onClick={() =>
            edit(
              [
                { type: 'wholeMaster', cutId: doc.activeCutId },
                { type: 'keep', start: only.time, end: only.end },
              ],
              'film one part',
            )
          }
        >
          Film only this part
        </Button>
      )}
    </fieldset>
  )
}

/** The colours a mark may have; none is chosen where several marks differ. */
function Swatches({ hue: chosen, onHue }: { hue: number | undefined; onHue: (hue: number) => void }) {
  return (
    <div className="line" role="radiogroup" aria-label="Colour">
      {Array.from({ length: HUE_COUNT }, (_, hue) => (
        <button
          type="button"
          key={hue}
          className="swatch"
          role="radio"
          aria-checked={hue === chosen}
          aria-label={`Colour ${hue + 1}`}
          style={{ background: hueOf(hue) }}
          onClick={() => onHue(hue)}
        />
      ))}
    </div>
  )
}
