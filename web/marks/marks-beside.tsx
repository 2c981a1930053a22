import { Button, Tooltip } from 'antd'
import { Flag, X } from 'lucide-react'
import type { StageProps } from '../stage.ts'
import { MarksList } from './marks-list.tsx'

/** Opens and closes the list of marks. */
export function MarksButton({ open, onOpen }: { open: boolean; onOpen: (open: boolean) => void }) {
  return (
    <Tooltip title="All marks: find, go there, change them">
      <Button type="text" size="small" aria-label="All marks" aria-pressed={open} icon={<Flag size={16} />} onClick={() => onOpen(!open)} />
    </Tooltip>
  )
}

/** The list of marks at the right side of a stage, which makes room for it. */
export function MarksBeside({ project, edit, onClose }: Pick<StageProps, 'project' | 'edit'> & { onClose: () => void }) {
  return (
    <aside className="marks-beside" aria-label="Marks">
      <h3>
        Marks
        <Button size="small" type="text" icon={<X size={15} />} aria-label="Close the marks" onClick={onClose} />
      </h3>
      <MarksList project={project} edit={edit} keys={false} />
    </aside>
  )
}
