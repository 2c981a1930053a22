import type { ProjectState } from '@pendolo/api'
import { marksOnMaster, projectRate } from '@pendolo/core/project'
import { printTimecode } from '@pendolo/core/time'
import { Dropdown } from 'antd'
import { useMemo } from 'react'
import { engine, useEngine } from '../playback/use-engine.ts'

/** The part of the event under the playhead, and a way to the others; nothing where no parts are marked. */
export function Parts({ project }: { project: ProjectState }) {
  const { doc } = project
  const { settings } = doc
  const parts = useMemo(() => marksOnMaster(doc).filter((m) => m.kind === 'part'), [doc])
  const here = useEngine(({ time }) => parts.findLast((p) => p.time <= time && (p.end === undefined || time < p.end))?.name ?? 'parts')
  if (parts.length === 0) return null
  const label = (part: (typeof parts)[number]) =>
    `${printTimecode(part.time, { rate: projectRate(settings), dropFrame: settings.dropFrame }, settings.startFrame)}  ${part.name}`
  return (
    <Dropdown
      trigger={['click']}
      menu={{
        style: { maxHeight: 320, overflow: 'auto' },
        items: parts.map((part) => ({ key: part.id, label: label(part), onClick: () => engine.seek(part.time) })),
      }}
    >
      <button type="button" className="chip" aria-label="Parts of the event">
        {here} ▾
      </button>
    </Dropdown>
  )
}
