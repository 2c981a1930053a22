import { activeCut } from '@pendolo/core/film'
import { pointsOf } from '@pendolo/core/project'
import { Dropdown, type MenuProps } from 'antd'
import { newId } from '../ids.ts'
import { filmFor } from '../playback/film.ts'
import { eventOf, leftOutOf, masterEnd } from '../playback/model.ts'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'

function cutsOf(points: number): string {
  const cuts = Math.max(0, points - 1)
  return points === 0 ? 'no cut yet' : `${cuts} cut${cuts === 1 ? '' : 's'}`
}

function nextName(count: number): string {
  return `Cut ${String.fromCharCode(65 + (count % 26))}`
}

type Items = NonNullable<MenuProps['items']>

/** Versions of the cut: which one is worked on, new ones, and where the film begins and ends. */
export function Versions({ project, edit }: Pick<StageProps, 'project' | 'edit'>) {
  const { doc } = project
  const cut = activeCut(doc)
  const film = filmFor(project)
  const leftOut = leftOutOf(film, film.bounds.master)
  const { start, end } = eventOf(project)
  const reachesPast = start < 0 || end > masterEnd(project)
  const versions: Items = doc.cuts.map((c) => ({
    key: c.id,
    label: `${c.name} · ${cutsOf(pointsOf(c).length)}`,
    onClick: () => edit([{ type: 'activeCut', cutId: c.id }], 'show another version'),
  }))
  const add = (from: string | null) => () => edit([{ type: 'addCut', cutId: newId(), name: nextName(doc.cuts.length), from }], 'a new version')
  const items: Items = [
    ...versions,
    { type: 'divider' },
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
    <Dropdown trigger={['click']} menu={{ items }}>
      <button type="button" className="chip" aria-label="Versions of the cut">
        {cut.name} · {cutsOf(pointsOf(cut).length)} ▾
      </button>
    </Dropdown>
  )
}
