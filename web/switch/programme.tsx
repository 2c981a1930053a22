import { activeCut, layersOf } from '@pendolo/core/film'
import type { Cut, Edit, Piece } from '@pendolo/core/project'
import { projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, printLength, printTimecode } from '@pendolo/core/time'
import { Button, Input, InputNumber, Popover, Segmented, Select, Tooltip } from 'antd'
import { ArrowDown, ArrowUp, Trash2 } from 'lucide-react'
import { useState } from 'react'
import { newId } from '../ids.ts'
import { filmFor } from '../playback/film.ts'
import { leftOutOf } from '../playback/model.ts'
import type { Along } from '../playback/types.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { keyText } from '../ui/keymap.ts'
import { useKeys } from '../ui/use-keys.ts'
import { AngleSelect } from './angle-select.tsx'
import { RangeTools } from './range-tools.tsx'
import { layerEdit, newBackground, newInset, newStill, newTitle } from './titles.ts'

export interface Range {
  readonly from: Flicks
  readonly to: Flicks
}

/** What of a range the film leaves out: all of it, some or none. */
function leftOutIn(project: StageProps['project'], range: Range): 'all' | 'some' | 'none' {
  const out = leftOutOf(filmFor(project), { start: range.from, end: range.to }).reduce((sum, r) => sum + r.end - r.start, 0)
  return out === 0 ? 'none' : out >= range.to - range.from ? 'all' : 'some'
}

/** A chosen range of the master: taken out of the film, or brought back. Keys set it, take it out and clear it. */
export function RangeBar({
  project,
  edit,
  range,
  onRange,
  onPick,
  onLayer,
}: Pick<StageProps, 'project' | 'edit'> & {
  range: Range | null
  onRange: (range: Range | null) => void
  onPick: (times: readonly Flicks[]) => void
  onLayer: (layerId: string) => void
}) {
  const { settings } = project.doc
  const cutId = activeCut(project.doc).id
  const state = range && leftOutIn(project, range)
  const leaveOut = () => range && edit([{ type: 'leaveOut', cutId, ...range }], 'leave a range out of the film') && onRange(null)
  const bringBack = () => range && edit([{ type: 'bringBack', cutId, ...range }], 'bring a range back into the film') && onRange(null)
  const begin = () => {
    const from = engine.now()
    onRange({ from, to: flicks(Math.max(range?.to ?? 0, from + FLICKS_PER_SECOND)) })
  }
  const end = () => {
    const to = engine.now()
    onRange({ from: flicks(Math.min(range?.from ?? to, to - FLICKS_PER_SECOND)), to })
  }
  useKeys('rangeEnds', begin, end)
  const loop = () => (engine.loops ? engine.stop() : range && engine.playSection(range.from, range.to, null))
  useKeys('loop', loop)
  useKeys('leaveOut', () => (state === 'all' ? bringBack() : leaveOut()))
  useKeys('nothing', () => onRange(null))
  if (!range) return null
  const add = (what: string, layerOf: typeof newInset) => (angleId: string) => {
    const id = newId()
    if (edit([layerEdit(cutId, layerOf(id, angleId, range, layersOf(activeCut(project.doc))))], what)) onLayer(id)
  }
  const label = (t: Flicks) => printTimecode(t, { rate: projectRate(settings), dropFrame: settings.dropFrame }, settings.startFrame)
  return (
    <div className="range-bar" role="toolbar" aria-label="Chosen range">
      <span className="mono">
        {label(range.from)} – {label(range.to)} · {printLength((range.to - range.from) / FLICKS_PER_SECOND)}
      </span>
      {state !== 'all' && (
        <Button size="small" type="primary" onClick={leaveOut}>
          Leave out of the film
        </Button>
      )}
      {state !== 'none' && (
        <Button size="small" type={state === 'all' ? 'primary' : 'default'} onClick={bringBack}>
          Bring back
        </Button>
      )}
      <Button size="small" title={keyText('loop')} onClick={loop}>
        Loop
      </Button>
      <RangeTools
        project={project}
        edit={edit}
        range={range}
        onPick={(times) => {
          onRange(null)
          onPick(times)
        }}
      />
      <Button
        size="small"
        title="words over the picture in this range"
        onClick={() => {
          const id = newId()
          if (edit([layerEdit(cutId, newTitle(id, range, layersOf(activeCut(project.doc))))], 'a title')) onLayer(id)
        }}
      >
        Title
      </Button>
      <AngleSelect
        pictured
        project={project}
        label="Show an angle small over this range"
        placeholder="inset …"
        width={92}
        onChoose={add('an inset', newInset)}
      />
      <AngleSelect
        pictured
        project={project}
        label="Show an angle behind a keyed picture"
        placeholder="behind …"
        width={98}
        onChoose={add('a background', newBackground)}
      />
      <StillSelect project={project} onChoose={add('a still', newStill)} />
      <Button size="small" onClick={() => onRange(null)}>
        Clear
      </Button>
    </div>
  )
}

/** The stills of a project, to be laid over its pictures; nothing where there are none. */
function StillSelect({ project: { doc, files }, onChoose }: { project: StageProps['project']; onChoose: (fileId: string) => void }) {
  const used = new Set(Object.values(doc.clips).map((c) => c.fileId))
  const stills = files.filter((f) => f.facts.video?.still && used.has(f.id))
  if (stills.length === 0) return null
  return (
    <Select
      size="small"
      aria-label="Lay a still over this range"
      placeholder="still …"
      value={null}
      style={{ width: 84 }}
      popupMatchSelectWidth={false}
      options={stills.map((f) => ({ value: f.id, label: f.name }))}
      onChange={(id: string) => onChoose(id)}
    />
  )
}

/** What plays: the master as it was recorded, or the film as it will be. */
export function Follow() {
  const along = useEngine((s) => s.along)
  useKeys('follow', () => engine.follow(engine.getState().along === 'film' ? 'master' : 'film'))
  return (
    <Tooltip title={`Play the master as it was recorded, or the film as it will be (${keyText('follow')})`}>
      <Segmented<Along>
        size="small"
        aria-label="What plays"
        options={[
          { value: 'master', label: 'master' },
          { value: 'film', label: 'film' },
        ]}
        value={along}
        onChange={(next) => engine.follow(next)}
      />
    </Tooltip>
  )
}

/** The pieces of the version in their order, and its length. */
export function Pieces({ project, edit }: Pick<StageProps, 'project' | 'edit'>) {
  const { doc } = project
  const cut = activeCut(doc)
  const film = filmFor(project)
  const many = cut.pieces.length
  const content = <PieceList project={project} cut={cut} edit={edit} />
  return (
    <Popover trigger="click" title="What the film is made of, in its order" content={content} placement="bottom">
      <button type="button" className="chip" aria-label="Pieces of the film">
        film {printLength(film.length / FLICKS_PER_SECOND)}
        {many > 1 ? ` · ${many} pieces` : ''}
      </button>
    </Popover>
  )
}

/** Words of a card; what is left empty is black. */
function CardWords({ text, onChange }: { text: string; onChange: (text: string) => void }) {
  const [words, setWords] = useState(text)
  return (
    <Input.TextArea
      size="small"
      autoSize={{ minRows: 1, maxRows: 4 }}
      maxLength={500}
      aria-label="Words of the card"
      placeholder="black; type words to show them"
      value={words}
      onChange={(e) => setWords(e.target.value)}
      onBlur={() => words.trim() !== text && onChange(words.trim())}
    />
  )
}

function PieceList({ project, cut, edit }: { project: StageProps['project']; cut: Cut; edit: StageProps['edit'] }) {
  const { doc } = project
  const { settings } = doc
  const [inner, setInner] = useState<string | null>(null)
  const [black, setBlack] = useState(2)
  const label = (t: Flicks) => printTimecode(t, { rate: projectRate(settings), dropFrame: settings.dropFrame }, settings.startFrame)
  const film = filmFor(project)
  const lengthOf = (piece: Piece) => film.runs.filter((r) => r.pieceId === piece.id).reduce((sum, r) => sum + r.length, 0) / FLICKS_PER_SECOND
  const saying = (piece: Piece) => {
    if (piece.kind === 'card') return <CardWords key={piece.text} text={piece.text ?? ''} onChange={(text) => changeWords(piece.id, text)} />
    const ends = `${piece.from === null ? 'start' : label(piece.from)} – ${piece.to === null ? 'end' : label(piece.to)}`
    return piece.kind === 'range' ? ends : `${doc.cuts.find((c) => c.id === piece.cutId)?.name ?? 'a version'}, ${ends}`
  }
  const changeWords = (pieceId: string, text: string) =>
    edit([{ type: 'changePiece', cutId: cut.id, pieceId, change: { text: text || null } }], 'words of a card')
  const move = (index: number, by: -1 | 1) => {
    const before = cut.pieces[by < 0 ? index - 1 : index + 2]?.id ?? null
    edit([{ type: 'movePiece', cutId: cut.id, pieceId: cut.pieces[index].id, before }], 'move a piece')
  }
  const add = (piece: Piece) => {
    const change: Edit = { type: 'addPiece', cutId: cut.id, piece, before: null }
    edit([change], 'add a piece')
  }
  const others = doc.cuts.filter((c) => c.id !== cut.id)
  return (
    <div className="pieces">
      <ol>
        {cut.pieces.map((piece, i) => (
          <li key={piece.id}>
            <span className="mono">{saying(piece)}</span>
            <span className="mono quiet">{printLength(lengthOf(piece))}</span>
            <Button size="small" type="text" aria-label="Earlier" disabled={i === 0} icon={<ArrowUp size={14} />} onClick={() => move(i, -1)} />
            <Button
              size="small"
              type="text"
              aria-label="Later"
              disabled={i === cut.pieces.length - 1}
              icon={<ArrowDown size={14} />}
              onClick={() => move(i, 1)}
            />
            <Button
              size="small"
              type="text"
              aria-label="Take out"
              disabled={cut.pieces.length === 1}
              icon={<Trash2 size={14} />}
              onClick={() => edit([{ type: 'removePiece', cutId: cut.id, pieceId: piece.id }], 'take a piece out')}
            />
          </li>
        ))}
      </ol>
      <div className="add">
        <label htmlFor="black-seconds">
          black or words for{' '}
          <InputNumber
            id="black-seconds"
            aria-label="Seconds of the card"
            size="small"
            min={0.1}
            max={600}
            value={black}
            onChange={(v) => setBlack(v ?? 2)}
            style={{ width: 64 }}
          />{' '}
          s
        </label>
        <Button size="small" onClick={() => add({ id: newId(), kind: 'card', length: flicks(Math.round(black * FLICKS_PER_SECOND)) })}>
          Add a card
        </Button>
      </div>
      {others.length > 0 && (
        <div className="add">
          <Select
            size="small"
            aria-label="Version to set in"
            placeholder="another version"
            value={inner}
            onChange={setInner}
            options={others.map((c) => ({ value: c.id, label: c.name }))}
            style={{ width: 150 }}
          />
          <Button size="small" disabled={inner === null} onClick={() => inner && add({ id: newId(), kind: 'version', cutId: inner, from: null, to: null })}>
            Set it in
          </Button>
        </div>
      )}
      <p className="quiet">To leave a range out, drag over the master with Shift held, or set its ends with , and . at the playhead, then press X.</p>
    </div>
  )
}
