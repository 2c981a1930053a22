import { type Angle, FLAGS, type Flag, nextHue } from '@pendolo/core/project'
import { PROJECT_RATES, parseRate, printRate, type Rate } from '@pendolo/core/time'
import { Button, Dropdown } from 'antd'
import { useState } from 'react'
import { newId } from '../ids.ts'
import type { StageProps } from '../stage.ts'
import { FLAG_WORDS } from './facts-text.ts'
import type { Row } from './order.ts'
import { Regroup } from './regroup.tsx'

interface SelectionBarProps extends Pick<StageProps, 'project' | 'edit'> {
  readonly rows: readonly Row[]
  readonly chosen: ReadonlySet<string>
  readonly onChoose: (clipIds: readonly string[]) => void
}

/** What can be done with the files that are chosen, and choosing all of a kind. */
export function SelectionBar({ project, edit, rows, chosen, onChoose }: SelectionBarProps) {
  const { doc } = project
  const [regrouping, setRegrouping] = useState<readonly Row[] | null>(null)
  const picked = rows.filter((r) => chosen.has(r.clip.id))
  const clipIds = picked.map((r) => r.clip.id)
  const moveTo = (angle: Angle | { id: string }) => {
    edit([{ type: 'moveClips', clipIds, angle }], 'move files to an angle')
    onChoose([])
  }
  const setAside = () => {
    edit([{ type: 'setAside', clipIds, aside: true }], 'set aside')
    onChoose([])
  }
  const moving = picked.filter((r) => r.file.facts.video && !r.file.facts.video.still)
  const setRate = (rate: string | null) =>
    edit(
      moving.map(({ clip }) => ({ type: 'clipRate' as const, clipId: clip.id, rate })),
      rate === null ? 'rate as the file says' : `${printRate(parseRate(rate) as Rate)} pictures a second`,
    )
  const kinds = FLAGS.map((flag) => ({ flag, ids: rows.filter((r) => r.flags.includes(flag)).map((r) => r.clip.id) })).filter((k) => k.ids.length > 0)
  return (
    <div className="selection-bar">
      <Dropdown
        trigger={['click']}
        menu={{
          items: [
            { key: 'all', label: `all ${rows.length} files`, onClick: () => onChoose(rows.map((r) => r.clip.id)) },
            ...kinds.map(({ flag, ids }: { flag: Flag; ids: string[] }) => ({
              key: flag,
              label: `${FLAG_WORDS[flag]} (${ids.length})`,
              onClick: () => onChoose(ids),
            })),
          ],
        }}
      >
        <Button size="small">Choose all of a kind</Button>
      </Dropdown>
      {picked.length > 0 ? (
        <>
          <span>{picked.length} chosen</span>
          <Button size="small" onClick={setAside}>
            Set aside
          </Button>
          <Dropdown
            trigger={['click']}
            menu={{
              items: [
                ...doc.angles.map((a, i) => ({ key: a.id, label: `${i + 1} ${a.name}`, onClick: () => moveTo({ id: a.id }) })),
                { type: 'divider' as const },
                { key: 'new', label: 'a new angle', onClick: () => moveTo({ id: newId(), name: 'New angle', hue: nextHue(doc.angles), framing: 'fit' }) },
              ],
            }}
          >
            <Button size="small">Move to an angle</Button>
          </Dropdown>
          <Button size="small" onClick={() => setRegrouping(picked)}>
            Sort into angles
          </Button>
          <Dropdown
            trigger={['click']}
            disabled={moving.length === 0}
            menu={{
              items: [
                { key: 'file', label: 'as the file says', onClick: () => setRate(null) },
                ...PROJECT_RATES.map((r) => ({ key: r, label: printRate(parseRate(r) as Rate), onClick: () => setRate(r) })),
              ],
            }}
          >
            <Button size="small" title="Where files say it wrongly: their pictures are taken to come at this rate; their sound stays">
              Pictures a second
            </Button>
          </Dropdown>
          <Button size="small" type="text" onClick={() => onChoose([])}>
            Choose none
          </Button>
        </>
      ) : (
        <span className="quiet">drag an angle: its place is its number key · F2 renames it · a column’s name sorts all files</span>
      )}
      {regrouping && <Regroup project={project} edit={edit} rows={regrouping} onClose={() => setRegrouping(null)} />}
    </div>
  )
}
