import { nearestIndex, type Stretch } from '@pendolo/core/cut'
import { activeCut } from '@pendolo/core/film'
import { type Edit, projectRate, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, firstFrom, flicks, nearestFrameStart } from '@pendolo/core/time'
import { App, Button, InputNumber, Popover, Segmented, Select, Space } from 'antd'
import { useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { keyText } from '../ui/keymap.ts'
import { useKeys } from '../ui/use-keys.ts'
import { AngleSelect, angleOptions } from './angle-select.tsx'
import { bordersIn, type Unit } from './borders.ts'

type Props = Pick<StageProps, 'project' | 'edit'> & { readonly range: Stretch; readonly onPick: (times: readonly Flicks[]) => void }

/** What can be done with the cuts of a chosen range. */
export function RangeTools(props: Props) {
  const { project, edit, range } = props
  const { doc } = project
  const cut = activeCut(doc)
  const others = doc.cuts.filter((c) => c.id !== cut.id)
  const points = cut.points
  const inside = points.slice(
    firstFrom(points.length, (i) => points[i].time, range.from),
    firstFrom(points.length, (i) => points[i].time, range.to),
  )
  return (
    <>
      <AngleSelect
        project={project}
        label="Show an angle in this range"
        placeholder="show …"
        width={110}
        onChoose={(angleId) => edit([{ type: 'paint', cutId: cut.id, ...range, choice: { angleId } }], 'paint a stretch')}
      />
      <Alternate {...props} />
      <ReplaceAngle {...props} />
      {others.length > 0 && (
        <Select
          size="small"
          aria-label="Take over from version"
          placeholder="take over from …"
          value={null}
          style={{ width: 150 }}
          options={others.map((c) => ({ value: c.id, label: c.name }))}
          onChange={(otherId: string) => edit([{ type: 'takeOver', cutId: cut.id, ...range, otherId }], 'take over from another version')}
        />
      )}
      {inside.length > 0 && (
        <>
          <Button
            size="small"
            title={`Repeats its cuts from the playhead on, by its beats; ${keyText('copyCuts')} and ${keyText('repeatCuts')}`}
            onClick={() => repeat(props)}
          >
            Repeat at the playhead
          </Button>
          <Button size="small" onClick={() => props.onPick(inside.map((p) => p.time))}>
            {inside.length === 1 ? 'Choose its cut' : `Choose its ${inside.length} cuts`}
          </Button>
        </>
      )}
    </>
  )
}

function Alternate({ project, edit, range }: Omit<Props, 'onPick'>) {
  const { doc } = project
  const options = angleOptions(project)
  const [open, setOpen] = useState(false)
  const [angles, setAngles] = useState<string[]>(options.slice(0, 2).map((o) => o.value))
  const [every, setEvery] = useState(4)
  const [unit, setUnit] = useState<Unit>(doc.pulse ? 'beat' : 's')
  const borders = open ? bordersIn(doc, range, every, unit) : []
  const apply = () => {
    const cutId = activeCut(doc).id
    if (edit([{ type: 'alternate', cutId, ...range, borders, choices: angles.map((angleId) => ({ angleId })) }], 'let angles take turns')) setOpen(false)
  }
  const content = (
    <div style={{ display: 'grid', gap: 8, width: 300 }}>
      <Select mode="multiple" size="small" aria-label="Angles that take turns" value={angles} onChange={setAngles} options={options} />
      <Space>
        every
        <InputNumber
          size="small"
          aria-label="Every"
          min={unit === 's' ? 0.2 : 1}
          max={64}
          value={every}
          onChange={(v) => setEvery(v ?? 1)}
          style={{ width: 60 }}
        />
        <Segmented<Unit>
          size="small"
          aria-label="Counted in"
          value={unit}
          onChange={(next) => {
            setUnit(next)
            if (next !== 's') setEvery((n) => Math.max(1, Math.round(n)))
          }}
          options={[
            { value: 'beat', label: 'beats', disabled: !doc.pulse },
            { value: 'bar', label: 'bars', disabled: !doc.pulse },
            { value: 's', label: 'seconds' },
          ]}
        />
      </Space>
      <Button size="small" type="primary" disabled={angles.length < 2} onClick={apply}>
        {borders.length + 1} {borders.length === 0 ? 'stretch' : 'stretches'} by turns
      </Button>
    </div>
  )
  return (
    <Popover trigger="click" destroyOnHidden open={open} onOpenChange={setOpen} title="Angles take turns in this range" content={content}>
      <Button size="small">Take turns …</Button>
    </Popover>
  )
}

function ReplaceAngle({ project, edit, range }: Omit<Props, 'onPick'>) {
  const options = angleOptions(project)
  const [open, setOpen] = useState(false)
  const [from, setFrom] = useState<string | null>(null)
  const replace = (angleId: string) => {
    const cutId = activeCut(project.doc).id
    if (from && edit([{ type: 'replaceAngle', cutId, ...range, angleId: from, choice: { angleId } }], 'replace an angle')) setOpen(false)
  }
  const content = (
    <Space>
      <Select
        size="small"
        aria-label="Angle that gives way"
        placeholder="this angle"
        value={from}
        onChange={setFrom}
        options={options}
        style={{ width: 130 }}
      />
      gives way to
      <AngleSelect project={project} label="Angle in its place" placeholder="that one" disabled={from === null} except={from} onChoose={replace} />
    </Space>
  )
  return (
    <Popover trigger="click" destroyOnHidden open={open} onOpenChange={setOpen} title="Replace an angle in this range" content={content}>
      <Button size="small">Replace …</Button>
    </Popover>
  )
}

/** Repeats the cuts of a range from the playhead on: by the beats where there are some at both places. */
function repeat({ project: { doc }, edit, range }: Omit<Props, 'onPick'>): void {
  const beats = pulseOf(doc)?.beats ?? []
  const now = engine.now()
  const [here, there] = [nearestIndex(beats, range.from), nearestIndex(beats, now)]
  const near = (beat: number, time: Flicks) => Math.abs(beats[beat] - time) < FLICKS_PER_SECOND
  const how: Pick<Extract<Edit, { type: 'copyPattern' }>, 'beats' | 'by'> = beats.length > 1 && near(here, range.from) && near(there, now)
    ? { beats: there - here }
    : { by: flicks(nearestFrameStart(now, projectRate(doc.settings)) - range.from) }
  edit([{ type: 'copyPattern', cutId: activeCut(doc).id, ...range, ...how }], 'repeat cuts')
}

/** The cuts of a range that were copied, to be repeated elsewhere: by the beats where there are any. */
export function usePattern({ project, edit, range }: Pick<StageProps, 'project' | 'edit'> & { range: Stretch | null }): void {
  const { message } = App.useApp()
  const [kept, setKept] = useState<Stretch | null>(null)
  useKeys('copyCuts', () => {
    if (!range) return void message.info('Choose a range first: drag over the bar numbers, or press , and .')
    setKept(range)
    void message.info(`The cuts of this range are copied; ${keyText('repeatCuts')} repeats them at the playhead`)
  })
  useKeys('repeatCuts', () => {
    if (!kept) return void message.info(`Nothing is copied yet: choose a range and press ${keyText('copyCuts')}`)
    repeat({ project, edit, range: kept })
  })
}
