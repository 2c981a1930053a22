import { STAND_INS, type StandIn } from '@pendolo/core/cut'
import { activeCut, type FilmStretch, type FilmWarning, filmWarnings, Pictures, SHORTEST } from '@pendolo/core/film'
import { anglesInUse, pictureSpans, projectRate, standInOrder } from '@pendolo/core/project'
import { type Flicks, flicks, frameStart, printTimecode } from '@pendolo/core/time'
import { InputNumber, Popover, Segmented, Select } from 'antd'
import { Eye } from 'lucide-react'
import { Fragment, useDeferredValue, useMemo } from 'react'
import { Warnings } from '../marks/warnings.tsx'
import { filmFor } from '../playback/film.ts'
import { glimpseOf } from '../playback/glimpse.ts'
import { playClips } from '../playback/model.ts'
import { Thumb } from '../playback/thumb.tsx'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { Num } from '../ui/num.tsx'

type Props = Pick<StageProps, 'project' | 'edit'>

const WORDS: Readonly<Record<StandIn, string>> = { next: 'the next angle', hold: 'its last picture', black: 'black' }

/** The ends of a film, where its picture comes out of black and goes into it. */
const ENDS = [
  { end: 'fadeIn', label: 'the film’s picture comes out of black in', words: 'out of black at the beginning' },
  { end: 'fadeOut', label: 'and goes into black in', words: 'into black at the end' },
] as const

/** The place in the film where something stands in: the next one from where it stands, else the first. */
function darkPlace(plan: readonly FilmStretch[], now: Flicks): FilmStretch | null {
  const dark = plan.filter((s) => s.standIn && s.wanted !== null && s.from !== null)
  return dark.find((s) => (s.from as Flicks) + s.length > now) ?? dark[0] ?? null
}

/** What each rule would show there, side by side. */
function StandIns({ project, edit }: Props) {
  const { doc } = project
  const dark = useMemo(() => darkPlace(filmFor(project).plan(), engine.now()), [project])
  const seen = useMemo(() => {
    if (!dark) return null
    const spans = pictureSpans(doc, (id) => project.files.find((f) => f.id === id)?.facts)
    const clips = playClips(project)
    const at = dark.from as Flicks
    return new Map(
      STAND_INS.map((rule) => {
        const shown = new Pictures(spans, standInOrder(doc), rule).shown({ angleId: dark.wanted as string }, at)
        return [rule, { ...glimpseOf(shown, at, clips), name: doc.angles.find((a) => a.id === shown.angleId)?.name ?? 'black' }]
      }),
    )
  }, [project, doc, dark])
  const { rate, dropFrame, startFrame } = { ...doc.settings, rate: projectRate(doc.settings) }
  const label = (rule: StandIn) => {
    const picture = seen?.get(rule)
    return (
      <span className="stand-in">
        {picture && <Thumb clip={picture.clip} time={picture.time} label={`There would be ${picture.name}`} />}
        {WORDS[rule]}
      </span>
    )
  }
  return (
    <>
      <span>
        Where the chosen angle is dark, the programme shows
        {dark && ` (seen at ${printTimecode(dark.from as Flicks, { rate, dropFrame }, startFrame)})`}
      </span>
      <Segmented<StandIn>
        size="small"
        block
        aria-label="What stands in"
        value={doc.settings.standIn}
        onChange={(standIn) => edit([{ type: 'settings', change: { standIn } }], 'what stands in')}
        options={STAND_INS.map((value) => ({ value, label: label(value) }))}
      />
    </>
  )
}

/** What is worth a look in the cut, and the rules by which that is judged. */
export function Rules(props: Props) {
  // A cut is seen first; what it means for the warnings may come a moment later.
  const project = useDeferredValue(props.project)
  const warnings = useMemo((): FilmWarning[] => filmWarnings(filmFor(project), project.doc, projectRate(project.doc.settings)), [project])
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
      <button type="button" className={open > 0 ? 'chip warn' : 'chip'} aria-label="To look at" title={open === 0 ? undefined : `${open} to look at`}>
        {open === 0 ? (
          'all well'
        ) : (
          <>
            <Eye size={14} /> {open} <span className="where-roomy">to look at</span>
          </>
        )}
      </button>
    </Popover>
  )
}

function RuleFields({ project, edit }: Props) {
  const { settings } = project.doc
  const cut = activeCut(project.doc)
  const frame = frameStart(1, projectRate(settings))
  const set = (change: Partial<typeof settings>, label: string) => edit([{ type: 'settings', change }], label)
  return (
    <div className="fields">
      <StandIns project={project} edit={edit} />
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
      {ENDS.map(({ end, label, words }) => (
        <Fragment key={end}>
          <span>{label}</span>
          <Num
            label={`${label}, frames`}
            unit="frames"
            value={Math.round((cut[end] ?? 0) / frame)}
            min={0}
            max={1500}
            step={1}
            onChange={(v) => edit([{ type: 'endFades', cutId: cut.id, [end]: flicks(Math.round(v) * frame) }], words)}
          />
        </Fragment>
      ))}
    </div>
  )
}
