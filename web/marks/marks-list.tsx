import { MARK_KINDS, type Mark, markOf, marksOnMaster, type Pulse, projectRate, pulseOf } from '@pendolo/core/project'
import { printLength, printTimecode } from '@pendolo/core/time'
import { useVirtualizer } from '@tanstack/react-virtual'
import { Button, Input, Select } from 'antd'
import { ChevronDown, ChevronUp } from 'lucide-react'
import { useEffect, useMemo, useRef, useState } from 'react'
import { engine, useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { keyText } from '../ui/keymap.ts'
import { hueOf } from '../ui/theme.ts'
import { useKeys } from '../ui/use-keys.ts'
import { MarkEditor } from './mark-editor.tsx'
import { beatRows, matches, type Row } from './rows.ts'

const SHOWN = ['all', 'beat', 'bar', ...MARK_KINDS] as const
type Shown = (typeof SHOWN)[number]
const NAMES: Record<Shown, string> = {
  all: 'all marks',
  beat: 'beats',
  bar: 'bars',
  cue: 'cues',
  part: 'parts',
  phrase: 'phrases',
  note: 'notes',
}
const ROW = 27

/** All marks in order of time: find, filter, go through them by keys, choose many. */
export function MarksList({
  project,
  edit,
  keys,
}: Pick<StageProps, 'project' | 'edit'> & { /** Its keys are the stage's: where they have no other meaning. */ keys: boolean }) {
  const { doc } = project
  const pulse = pulseOf(doc)
  const [find, setFind] = useState('')
  const [shown, setShown] = useState<Shown>('all')
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set())
  const last = useRef<string | null>(null)
  const scroll = useRef<HTMLDivElement>(null)
  const style = { rate: projectRate(doc.settings), dropFrame: doc.settings.dropFrame }
  const marks = useMemo(() => marksOnMaster(doc), [doc])
  const rows = useMemo((): Row[] => {
    if (shown === 'beat' || shown === 'bar') return beatRows(pulse, shown === 'bar').filter((r) => r.name.includes(find))
    return marks
      .filter((m) => (shown === 'all' || m.kind === shown) && matches(m, find))
      .map((mark) => ({ key: mark.id, time: mark.time, ...(mark.end !== undefined && { end: mark.end }), name: mark.name, mark }))
  }, [marks, shown, find, pulse])
  const here = useEngine(({ time }) => rows.findLastIndex((r) => r.time <= time))
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => scroll.current, estimateSize: () => ROW, overscan: 8 })

  const go = (row: Row | undefined) => {
    if (!row) return
    engine.seek(row.time)
    virtual.scrollToIndex(rows.indexOf(row), { align: 'auto' })
  }
  // Half a frame of grace: standing on a mark, the one before is wanted.
  const step = (by: 1 | -1) => {
    const now = engine.now()
    go(by > 0 ? rows.find((r) => r.time > now + 1) : rows.findLast((r) => r.time < now - 1))
  }
  const gone = [...chosen].filter((id) => !markOf(doc.marks, id))
  useEffect(() => {
    if (gone.length > 0) setChosen((now) => new Set([...now].filter((id) => !gone.includes(id))))
  })
  const remove = () => {
    if (chosen.size > 0) edit([{ type: 'removeMarks', markIds: [...chosen] }], chosen.size === 1 ? 'remove a mark' : `remove ${chosen.size} marks`)
  }

  const choose = (row: Row, event: React.MouseEvent) => {
    if (!row.mark) return go(row)
    const { id } = row.mark
    if (event.shiftKey && last.current) {
      const [a, b] = [rows.findIndex((r) => r.key === last.current), rows.indexOf(row)].sort((x, y) => x - y)
      setChosen(new Set(rows.slice(Math.max(0, a), b + 1).flatMap((r) => (r.mark ? [r.mark.id] : []))))
      return
    }
    last.current = id
    if (event.ctrlKey || event.metaKey) {
      const next = new Set(chosen)
      if (!next.delete(id)) next.add(id)
      setChosen(next)
      return
    }
    setChosen(new Set([id]))
    go(row)
  }
  return (
    <>
      {keys && (
        <ListKeys
          onStep={step}
          onKind={(kind) => setShown(kind)}
          onRemove={remove}
          onAll={() => setChosen(new Set(rows.flatMap((r) => (r.mark ? [r.mark.id] : []))))}
          onNone={() => setChosen(new Set())}
        />
      )}
      <div style={{ display: 'flex', gap: 6 }}>
        <Input placeholder="Find a mark" value={find} onChange={(e) => setFind(e.target.value)} aria-label="Find a mark" allowClear />
        <KindSelect shown={shown} onShown={setShown} marks={marks} pulse={pulse} />
        <Button icon={<ChevronUp size={15} />} onClick={() => step(-1)} aria-label="Previous mark" title={`Previous of these (${keyText('nextMark', 0)})`} />
        <Button icon={<ChevronDown size={15} />} onClick={() => step(1)} aria-label="Next mark" title={`Next of these (${keyText('nextMark', 1)})`} />
      </div>
      {marks.length === 0 && shown === 'all' && <p className="quiet">Press {keyText('mark')} while it plays: at the drop, at the first word, at the ring.</p>}
      {rows.length === 0 && (marks.length > 0 || shown !== 'all') && <p className="quiet">None{find ? ' with this in its name or note' : ' of this kind'}.</p>}
      <div className="mark-list" ref={scroll} role="listbox" aria-label={`${rows.length} ${NAMES[shown]}`} aria-multiselectable="true">
        <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {virtual.getVirtualItems().map(({ index, start }) => {
            const row = rows[index]
            const { mark } = row
            return (
              <MarkRow
                key={row.key}
                row={row}
                chosen={mark !== null && chosen.has(mark.id)}
                here={index === here}
                top={start}
                label={printTimecode(row.time, style, doc.settings.startFrame)}
                kind={mark && shown === 'all' ? mark.kind : ''}
                onClick={(e) => choose(row, e)}
              />
            )
          })}
        </div>
      </div>
      <MarkEditor project={project} marks={doc.marks.filter((m) => chosen.has(m.id))} edit={edit} onRemove={remove} />
    </>
  )
}

interface ListKeysProps {
  readonly onStep: (by: 1 | -1) => void
  readonly onKind: (kind: Shown) => void
  readonly onRemove: () => void
  readonly onAll: () => void
  readonly onNone: () => void
}

/** The list's keys, where the stage has no other use for them. */
function ListKeys({ onStep, onKind, onRemove, onAll, onNone }: ListKeysProps) {
  useKeys(
    'nextMark',
    () => onStep(-1),
    () => onStep(1),
  )
  useKeys('listKind', (event) => onKind(SHOWN[Number(event.key)] ?? 'all'))
  useKeys('removeMarks', onRemove)
  useKeys('allMarks', onAll)
  useKeys('nothing', onNone)
  return null
}

/** Which marks are listed, with how many there are of each kind and the key that lists them. */
function KindSelect({ shown, onShown, marks, pulse }: { shown: Shown; onShown: (kind: Shown) => void; marks: readonly Mark[]; pulse: Pulse | null }) {
  const counts = (kind: Shown) =>
    (kind === 'all'
      ? marks.length
      : kind === 'beat'
        ? pulse?.beats.length
        : kind === 'bar'
          ? pulse?.downbeats.length
          : marks.filter((m) => m.kind === kind).length) ?? 0
  return (
    <Select
      value={shown}
      onChange={onShown}
      aria-label="Kind of mark"
      popupMatchSelectWidth={170}
      options={SHOWN.map((k: Shown, i) => ({
        value: k,
        label: NAMES[k],
        hint: `${counts(k)} · key ${i}`,
      }))}
      optionRender={({ label, data }) => (
        <span style={{ display: 'flex', justifyContent: 'space-between' }}>
          {label} <span className="quiet">{data.hint}</span>
        </span>
      )}
      style={{ width: 112 }}
    />
  )
}

interface MarkRowProps {
  readonly row: Row
  readonly chosen: boolean
  /** Whether the playhead stands on it. */
  readonly here: boolean
  readonly top: number
  readonly label: string
  readonly kind: string
  readonly onClick: (event: React.MouseEvent) => void
}

function MarkRow({ row, chosen, here, top, label, kind, onClick }: MarkRowProps) {
  const { mark } = row
  return (
    <button
      type="button"
      role="option"
      aria-selected={chosen}
      aria-current={here}
      aria-label={`Go to ${row.name || 'a mark without a name'}`}
      className="mark-row"
      style={{ transform: `translateY(${top}px)`, height: ROW }}
      onClick={onClick}
    >
      <span className={mark?.end === undefined ? 'flag' : 'flag range'} style={{ background: mark ? hueOf(mark.hue) : 'var(--quiet)' }} />
      <span className="mono">{label}</span>
      <span className="what" title={mark?.text}>
        {row.name || '–'}
        {mark?.text && <em> {mark.text}</em>}
      </span>
      <span className="quiet">
        {row.end !== undefined && `${printLength((row.end - row.time) / 705_600_000)} `}
        {kind}
      </span>
    </button>
  )
}
