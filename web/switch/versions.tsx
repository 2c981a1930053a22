import { counted } from '@pendolo/api'
import { activeCut } from '@pendolo/core/film'
import type { Cut, Edit } from '@pendolo/core/project'
import { Dropdown, Input, type MenuProps, Modal } from 'antd'
import { lazy, Suspense, useState } from 'react'
import { newId } from '../ids.ts'
import { filmFor } from '../playback/film.ts'
import { eventOf, leftOutOf, masterEnd } from '../playback/model.ts'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { laidFlat } from './laid-flat.ts'

const RhythmReport = lazy(() => import('./rhythm.tsx'))

function cutsOf(points: number): string {
  const cuts = Math.max(0, points - 1)
  return points === 0 ? 'no cut yet' : counted(cuts, 'cut')
}

function nextName(count: number): string {
  return `Cut ${String.fromCharCode(65 + (count % 26))}`
}

type Items = NonNullable<MenuProps['items']>

interface Props extends Pick<StageProps, 'project' | 'edit'> {
  /** The version that is shown on the score beside that at hand. */
  readonly compared: string | null
  readonly onCompare: (cutId: string | null) => void
}

/** Versions of the cut: which one is worked on, new ones, and where the film begins and ends. */
export function Versions({ project, edit, compared, onCompare }: Props) {
  const { doc } = project
  const cut = activeCut(doc)
  const [saying, setSaying] = useState(false)
  const [measuring, setMeasuring] = useState(false)
  const film = filmFor(project)
  const leftOut = leftOutOf(film, film.bounds.master)
  const { start, end } = eventOf(project)
  const reachesPast = start < 0 || end > masterEnd(project)
  const versions: Items = doc.cuts.map((c) => ({
    key: c.id,
    label: (
      <span title={c.note}>
        {c.name} · {cutsOf(c.points.length)}
        {c.note && <span className="quiet"> · {c.note.split('\n')[0].slice(0, 40)}</span>}
      </span>
    ),
    onClick: () => edit([{ type: 'activeCut', cutId: c.id }], 'show another version'),
  }))
  const add = (from: string | null) => () => edit([{ type: 'addCut', cutId: newId(), name: nextName(doc.cuts.length), from }], 'a new version')
  const items: Items = [
    ...versions,
    { type: 'divider' },
    { key: 'about', label: 'its name and a note …', onClick: () => setSaying(true) },
    { key: 'rhythm', label: 'its rhythm in figures …', onClick: () => setMeasuring(true) },
    ...(doc.cuts.length > 1
      ? [
          {
            key: 'compare',
            label: 'compare on the score with',
            children: [
              ...doc.cuts
                .filter((c) => c.id !== cut.id)
                .map((c) => ({
                  key: `compare ${c.id}`,
                  label: c.id === compared ? `${c.name} ✓` : c.name,
                  onClick: () => onCompare(c.id === compared ? null : c.id),
                })),
            ],
          },
        ]
      : []),
    ...(cut.pieces.some((p) => p.kind === 'version')
      ? [{ key: 'flat', label: 'lay versions that are set in flat', onClick: () => edit(laidFlat(cut, film.runs), 'lay versions flat') }]
      : []),
    { key: 'copy', label: 'a new version from this one', onClick: add(cut.id) },
    { key: 'new', label: 'an empty version', onClick: add(null) },
    ...(doc.cuts.length > 1
      ? [{ key: 'remove', danger: true, label: `remove ${cut.name}`, onClick: () => edit([{ type: 'removeCut', cutId: cut.id }], 'remove a version') }]
      : []),
    { type: 'divider' },
    { key: 'head', label: 'the film starts at the playhead', onClick: () => edit([{ type: 'keep', start: engine.now() }], 'trim the head') },
    { key: 'tail', label: 'the film ends at the playhead', onClick: () => edit([{ type: 'keep', end: engine.now() }], 'trim the tail') },
    ...(reachesPast
      ? [
          {
            key: 'event',
            label: 'the film covers all that was recorded',
            onClick: () => edit([{ type: 'keep', ...engine.event }], 'film all that was recorded'),
          },
        ]
      : []),
    ...(leftOut.length > 0
      ? [
          {
            key: 'whole',
            label: 'bring back all of the master that was left out',
            onClick: () => edit([{ type: 'wholeMaster', cutId: cut.id }], 'keep the whole'),
          },
        ]
      : []),
  ]
  return (
    <>
      <Dropdown trigger={['click']} menu={{ items }}>
        <button type="button" className="chip" aria-label="Versions of the cut">
          {cut.name} · {cutsOf(cut.points.length)} ▾
        </button>
      </Dropdown>
      {saying && <About key={cut.id} cut={cut} edit={edit} onClose={() => setSaying(false)} />}
      {measuring && (
        <Suspense>
          <RhythmReport project={project} onClose={() => setMeasuring(false)} />
        </Suspense>
      )}
    </>
  )
}

/** Name of a version, and what somebody wants to remember of it. */
function About({ cut, edit, onClose }: { cut: Cut; edit: StageProps['edit']; onClose: () => void }) {
  const [name, setName] = useState(cut.name)
  const [note, setNote] = useState(cut.note ?? '')
  const keep = () => {
    const edits: Edit[] = []
    if (name.trim() !== '' && name.trim() !== cut.name) edits.push({ type: 'renameCut', cutId: cut.id, name: name.trim() })
    if (note.trim() !== (cut.note ?? '')) edits.push({ type: 'noteCut', cutId: cut.id, note })
    if (edits.length === 0 || edit(edits, 'about a version')) onClose()
  }
  return (
    <Modal open title="This version" okText="Keep" onOk={keep} onCancel={onClose} width={420}>
      <Input aria-label="Name of the version" value={name} maxLength={120} onChange={(e) => setName(e.target.value)} onPressEnter={keep} />
      <Input.TextArea
        aria-label="Note about the version"
        style={{ marginTop: 8 }}
        placeholder="what it is for, what is still to be done"
        value={note}
        maxLength={5000}
        autoSize={{ minRows: 3, maxRows: 10 }}
        onChange={(e) => setNote(e.target.value)}
      />
    </Modal>
  )
}
