import { anglesInUse } from '@pendolo/core/project'
import { Select } from 'antd'
import { soundOnly } from '../playback/model.ts'
import type { StageProps } from '../stage.ts'

export const angleOptions = (project: StageProps['project']) => anglesInUse(project.doc).map((a) => ({ value: a.id, label: a.name }))

/** Chooses an angle for one act: it is empty again afterwards. */
export function AngleSelect({
  project,
  label,
  placeholder,
  width = 130,
  except,
  pictured = false,
  disabled,
  onChoose,
}: Pick<StageProps, 'project'> & {
  label: string
  placeholder: string
  width?: number
  except?: string | null
  /** Only those that have pictures. */
  pictured?: boolean
  disabled?: boolean
  onChoose: (angleId: string) => void
}) {
  const options = angleOptions(project).filter((o) => o.value !== except && !(pictured && soundOnly(project, o.value)))
  return (
    <Select
      size="small"
      aria-label={label}
      placeholder={placeholder}
      disabled={disabled}
      value={null}
      style={{ width }}
      options={options}
      onChange={(id: string) => onChoose(id)}
    />
  )
}
