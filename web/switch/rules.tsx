import { STAND_INS, type StandIn } from '@pendolo/core/cut'
import { type FilmWarning, filmWarnings, SHORTEST } from '@pendolo/core/film'
import { anglesInUse, projectRate } from '@pendolo/core/project'
import { InputNumber, Popover, Segmented, Select } from 'antd'
import { useDeferredValue, useMemo } from 'react'
import { Warnings } from '../marks/warnings.tsx'
import { filmFor } from '../playback/film.ts'
import type { StageProps } from '../stage.ts'

type Props = Pick<StageProps, 'project' | 'edit'>

const WORDS: Readonly<Record<StandIn, string>> = { next: 'the next angle in order', black: 'black' }

/** What is worth a look in the cut, and the rules by which that is judged. */
export function Rules(props: Props) {
  // A cut is seen first; what it means for the warnings may come a moment later.
  const project = useDeferredValue(props.project)
  const warnings = useMemo((): FilmWarning[] => filmWarnings(filmFor(project).plan(), project.doc, projectRate(project.doc.settings)), [project])
  const open = warnings.filter((w) => !w.accepted).length
  return (
    <Popover
      trigger="click"
      placement="bottomRight"
      title="To look at"
      destroyOnHidden
      content={
        <div className="rules">
          <div className="list">
            <Warnings project={project} warnings={warnings} edit={props.edit} />
          </div>
          <RuleFields {...props} />
        </div>
      }
    >
      <button type="button" className={open > 0 ? 'chip warn' : 'chip'} aria-label="To look at">
        {open === 0 ? 'all well' : `${open} to look at`}
      </button>
    </Popover>
  )
}

function RuleFields({ project, edit }: Props) {
  const { settings } = project.doc
  const set = (change: Partial<typeof settings>, label: string) => edit([{ type: 'settings', change }], label)
  return (
    <div className="fields">
      <span>Where the chosen angle is dark, the programme shows</span>
      <Segmented<StandIn>
        size="small"
        aria-label="What stands in"
        value={settings.standIn}
        onChange={(standIn) => set({ standIn }, 'what stands in')}
        options={STAND_INS.map((value) => ({ value, label: WORDS[value] }))}
      />
      <label htmlFor="safe-angle">first of all this safe angle</label>
      <Select
        id="safe-angle"
        size="small"
        allowClear
        disabled={settings.standIn === 'black'}
        placeholder="none: the order decides"
        value={settings.safeAngle}
        onChange={(safeAngle: string | undefined) => set({ safeAngle }, 'the safe angle')}
        options={anglesInUse(project.doc).map((a) => ({ value: a.id, label: a.name }))}
      />
      <label htmlFor="shortest">point at stretches of fewer frames than</label>
      <InputNumber
        id="shortest"
        size="small"
        min={0}
        max={1000}
        value={settings.shortest ?? SHORTEST}
        onChange={(v) => set({ shortest: Math.round(v ?? SHORTEST) }, 'the shortest stretch')}
      />
    </div>
  )
}
