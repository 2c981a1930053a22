import { useSortable } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { counted, type Job, jobText, noteText } from '@pendolo/api'
import { type Angle, clipRate } from '@pendolo/core/project'
import { printLength, printRate } from '@pendolo/core/time'
import { Checkbox, Input } from 'antd'
import { ArrowDown, ArrowUp, GripVertical } from 'lucide-react'
import { Bob } from '../ui/bob.tsx'
import { Colour } from './colour.tsx'
import { FLAG_WORDS, factsText, heardTimecode, recordedText, soundText, TOLD_FLAGS } from './facts-text.ts'
import { BY_ANGLES, COLUMNS, type Column, type Order, type Row } from './order.ts'

/** The table's head: a click sorts all of it by a column, another turns the order round; the keys bring the angles back. */
export function Head({ order, heard, onOrder }: { order: Order; heard: boolean; onOrder: (order: Order) => void }) {
  const next = (by: Column): Order => (by === 'key' ? BY_ANGLES : { by, down: order.by === by && !order.down })
  return (
    <thead>
      <tr>
        <th style={{ width: 26 }} aria-label="chosen" />
        {(Object.entries(COLUMNS) as [Column, string][]).map(([by, label]) => {
          if (by === 'heard' && !heard) return null
          const sorted = order.by === by
          return (
            <th key={by} aria-sort={sorted ? (order.down ? 'descending' : 'ascending') : undefined}>
              <button
                type="button"
                className="plain"
                title={by === 'key' ? 'Angle by angle, in the order of their keys' : `Sort all files by this; again turns the order round`}
                onClick={() => onOrder(next(by))}
              >
                {label} {sorted && by !== 'key' && (order.down ? <ArrowDown size={11} /> : <ArrowUp size={11} />)}
              </button>
            </th>
          )
        })}
      </tr>
    </thead>
  )
}

interface Choosing {
  /** Whether timecode was heard as sound in any file: else that has no column. */
  readonly heard: boolean
  readonly jobs: readonly Job[]
  readonly chosen: ReadonlySet<string>
  readonly onToggle: (clipId: string, range: boolean) => void
}

/** All files in one order, whichever their angles. */
export function FlatRows({ rows, angles, heard, jobs, chosen, onToggle }: Choosing & { rows: readonly Row[]; angles: ReadonlyMap<string, Angle> }) {
  return (
    <tbody className="flat">
      {rows.map((row) => (
        <FileRow
          key={row.clip.id}
          row={row}
          angle={angles.get(row.clip.angleId ?? '') ?? null}
          heard={heard}
          jobs={jobs}
          chosen={chosen.has(row.clip.id)}
          onToggle={(range) => onToggle(row.clip.id, range)}
        />
      ))}
    </tbody>
  )
}

interface AngleRowsProps extends Choosing {
  readonly angle: Angle
  readonly index: number
  readonly rows: readonly Row[]
  readonly onToggleAll: () => void
  readonly renaming: boolean
  readonly onRename: () => void
  readonly onName: (name: string) => void
  readonly onHue: (hue: number) => void
}

/** An angle, which can be dragged to another key, and its files below it. */
export function AngleRows({ angle, index, rows, heard, jobs, chosen, onToggle, onToggleAll, renaming, onRename, onName, onHue }: AngleRowsProps) {
  const { attributes, listeners, setNodeRef, transform, transition } = useSortable({ id: angle.id })
  const alone = rows.length === 1 ? rows[0] : null
  const picked = rows.filter((r) => chosen.has(r.clip.id)).length
  const seconds = rows.reduce((s, r) => s + r.file.facts.durationSeconds, 0)
  return (
    <tbody ref={setNodeRef} style={{ transform: CSS.Translate.toString(transform), transition }}>
      <tr className={alone && picked > 0 ? 'angle chosen' : 'angle'} aria-label={alone?.file.name}>
        <td>
          <button type="button" className="plain" {...attributes} {...listeners} aria-label={`Move ${angle.name}`} style={{ cursor: 'grab' }}>
            <GripVertical size={14} />
          </button>
        </td>
        <td>
          <Colour angle={angle} index={index} onHue={onHue} />
        </td>
        <td className="named">
          {rows.length > 0 && (
            <Checkbox
              checked={picked === rows.length}
              indeterminate={picked > 0 && picked < rows.length}
              onChange={onToggleAll}
              aria-label={alone ? `Choose ${alone.file.name}` : `Choose all clips of ${angle.name}`}
            />
          )}
          {renaming ? (
            <Input
              size="small"
              autoFocus
              defaultValue={angle.name}
              aria-label="Name of the angle"
              onBlur={(e) => onName(e.target.value)}
              onPressEnter={(e) => onName(e.currentTarget.value)}
              onKeyDown={(e) => e.key === 'Escape' && onName('')}
            />
          ) : (
            <button type="button" className="plain angle-name" onDoubleClick={onRename} title="Double click renames">
              {angle.name}
            </button>
          )}
          {alone && <FileName row={alone} jobs={jobs} />}
        </td>
        {alone ? <FactCells row={alone} heard={heard} /> : <SumCells rows={rows} seconds={seconds} heard={heard} />}
        {alone ? <Notes row={alone} /> : <td>{rows.length > 1 && <span className="note">{stoppedText(rows)}</span>}</td>}
      </tr>
      {(alone ? [] : rows).map((row) => (
        <FileRow
          key={row.clip.id}
          row={row}
          angle={null}
          heard={heard}
          jobs={jobs}
          chosen={chosen.has(row.clip.id)}
          onToggle={(range) => onToggle(row.clip.id, range)}
        />
      ))}
    </tbody>
  )
}

function stoppedText(rows: readonly Row[]): string {
  if (rows.every((r) => r.file.facts.video?.still)) return `${rows.length} stills`
  return `one camera, stopped ${rows.length === 2 ? 'once' : `${rows.length - 1} times`}`
}

/** What the files of an angle have together. */
function SumCells({ rows, seconds, heard }: { rows: readonly Row[]; seconds: number; heard: boolean }) {
  const facts = rows[0]?.file.facts
  return (
    <>
      <td className="mono">{facts ? `${counted(rows.length, 'file')} · ${printLength(seconds)}` : ''}</td>
      <td className="mono">{facts ? rateText(rows[0]) : ''}</td>
      <td className="mono">{facts ? pictureText(rows[0]) : ''}</td>
      <td className="sound">{facts ? soundText(rows[0].file) : ''}</td>
      {heard && <td className="mono" />}
      <td className="mono" />
      <td className="mono" />
    </>
  )
}

const pictureText = ({ file: { facts } }: Row): string => (facts.video ? `${facts.video.width}×${facts.video.height}` : 'sound only')

function rateText({ clip, file }: Row): string {
  if (file.facts.video?.still) return 'still'
  const rate = clipRate(clip, file.facts)
  return rate ? printRate(rate) : '–'
}

/** What the columns tell of one file, from its length to its recording time. */
function FactCells({ row, heard, quiet = false }: { row: Row; heard: boolean; quiet?: boolean }) {
  const { clip, file, flags } = row
  const { facts } = file
  const mono = quiet ? 'mono quiet' : 'mono'
  const other = flags.includes('other-rate')
  const set = clip.rate !== undefined && facts.video
  const about = [other && 'another rate than the project’s', set && `set by you; the file says ${printRate(set.rate)}`].filter(Boolean).join('; ')
  return (
    <>
      <td className={mono}>{facts.video?.still ? '–' : printLength(facts.durationSeconds)}</td>
      <td className={mono}>
        <span className={other || set ? 'note' : undefined} title={about || undefined}>
          {rateText(row)}
        </span>
      </td>
      <td className={mono}>{pictureText(row)}</td>
      <td className={quiet ? 'sound quiet' : 'sound'}>{soundText(file)}</td>
      <td className={mono}>{facts.timecode ?? ''}</td>
      {heard && <td className={mono}>{heardTimecode(file) ?? ''}</td>}
      <td className={mono} title={facts.recordedAt ?? undefined}>
        {recordedText(facts.recordedAt)}
      </td>
    </>
  )
}

interface FileRowProps {
  readonly row: Row
  /** Its angle, where the table is not ordered by angles. */
  readonly angle: Angle | null
  readonly heard: boolean
  readonly jobs: readonly Job[]
  readonly chosen: boolean
  readonly onToggle: (range: boolean) => void
}

function FileRow({ row, angle, heard, jobs, chosen, onToggle }: FileRowProps) {
  const { file } = row
  return (
    <tr className={chosen ? 'file chosen' : 'file'} aria-label={file.name}>
      <td />
      <td>{angle && <Bob index={row.index} hue={angle.hue} size={16} />}</td>
      <td className="named">
        <Checkbox checked={chosen} onChange={(e) => onToggle(e.nativeEvent.shiftKey)} aria-label={`Choose ${file.name}`} />
        <FileName row={row} jobs={jobs} />
        {angle && <span className="quiet"> · {angle.name}</span>}
      </td>
      <FactCells row={row} heard={heard} quiet />
      <Notes row={row} />
    </tr>
  )
}

/** A file's name, what is the matter with it, and how far its light copies are. */
function FileName({ row: { clip, file }, jobs }: { row: Row; jobs: readonly Job[] }) {
  const own = jobs.filter((j) => j.fileId === file.id)
  const running = own.find((j) => j.state === 'running')
  const open = running ?? own.find((j) => j.state === 'queued')
  return (
    <div className="file-name" title={factsText(file)}>
      {file.name}
      {clip.state === 'parked' && ' · parked'}
      {file.missing && ' · missing'}
      {open && (
        <div className="bar" role="progressbar" aria-valuenow={Math.round((running?.progress ?? 0) * 100)} aria-label={jobText(open)}>
          <i style={{ width: `${(running?.progress ?? 0) * 100}%` }} />
        </div>
      )}
    </div>
  )
}

/** What should be known of a file. */
function Notes({ row: { file, flags } }: { row: Row }) {
  const notes = [...flags.filter((f) => TOLD_FLAGS.has(f)).map((f) => FLAG_WORDS[f]), ...file.notes.filter((n) => n.code !== 'timecode').map(noteText)]
  return (
    <td className="notes">
      {file.facts.camera && <span className="quiet">{file.facts.camera} </span>}
      {notes.map((text) => (
        <span key={text} className="note">
          {text}
        </span>
      ))}
    </td>
  )
}
