import { counted } from '@pendolo/api'
import { DEVICE_RULES, type DeviceRule } from '@pendolo/core/project'
import { printLength } from '@pendolo/core/time'
import { Modal, Radio } from 'antd'
import { useMemo, useState } from 'react'
import type { StageProps } from '../stage.ts'
import type { Row } from './order.ts'
import { sortedInto } from './sorted-into.ts'

const RULE_WORDS: Readonly<Record<DeviceRule, string>> = {
  all: 'by all that tells cameras apart',
  folder: 'a folder is an angle',
  camera: 'by what the cameras call themselves',
  names: 'by the pattern of the names',
  times: 'by when they were recorded: never two at once in one angle',
  one: 'all into one angle',
  each: 'each file an angle of its own',
}

/** Sorts many files into angles by one rule, and shows what comes of it before it is done. */
export function Regroup({ project, edit, rows, onClose }: Pick<StageProps, 'project' | 'edit'> & { rows: readonly Row[]; onClose: () => void }) {
  const [rule, setRule] = useState<DeviceRule>('all')
  const plan = useMemo(() => sortedInto(project.doc, rows, rule), [project.doc, rows, rule])
  const take = () => {
    if (edit(plan.edits, 'sort files into angles')) onClose()
  }
  return (
    <Modal
      open
      title={`Sort ${counted(rows.length, 'file')} into angles`}
      okText={`Sort into ${counted(plan.angles.length, 'angle')}`}
      onOk={take}
      onCancel={onClose}
      width={720}
    >
      <div className="regroup">
        <Radio.Group
          value={rule}
          onChange={(e) => setRule(e.target.value as DeviceRule)}
          aria-label="Rule"
          options={DEVICE_RULES.map((value) => ({ value, label: RULE_WORDS[value] }))}
          style={{ display: 'flex', flexDirection: 'column', alignSelf: 'start' }}
        />
        <ul aria-label="What comes of it">
          {plan.angles.map(({ id, name, fresh, files, seconds }) => (
            <li key={id}>
              <b>{name}</b> {fresh && <span className="note">new</span>}{' '}
              <span className="quiet">
                {counted(files.length, 'file')} · {printLength(seconds)}
              </span>
              <div className="mono quiet">{files.length > 4 ? `${files.slice(0, 3).join(', ')} … ${files.at(-1)}` : files.join(', ')}</div>
            </li>
          ))}
        </ul>
      </div>
    </Modal>
  )
}
