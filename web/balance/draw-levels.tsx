import { counted } from '@pendolo/api'
import type { Stretch } from '@pendolo/core/mix'
import type { Edit, ProjectDoc } from '@pendolo/core/project'
import { Button, Checkbox, Dropdown, InputNumber, Modal, Select } from 'antd'
import { useState } from 'react'
import { Link } from 'react-router'
import { followCutEdits, type Leading, leadEdits, USUAL_LEADING, voicesOf } from './leader.ts'
import type { Seen } from './ribbon.tsx'
import type { SoundRow } from './rows.ts'

interface Props {
  readonly projectId: string
  readonly doc: ProjectDoc
  /** All rows, channels too. */
  readonly rows: readonly SoundRow[]
  readonly seen: readonly Seen[]
  readonly whole: Stretch
  readonly edit: (edits: Edit[], label: string) => boolean
}

/** Levels that draw themselves: by who speaks, or by what is seen. What they draw is changed like anything drawn by hand. */
export function DrawLevels(props: Props) {
  const [open, setOpen] = useState<'speech' | 'cut' | null>(null)
  return (
    <>
      <Dropdown
        trigger={['click']}
        menu={{
          items: [
            { key: 'speech', label: 'by who speaks …', onClick: () => setOpen('speech') },
            { key: 'cut', label: 'by what is seen …', onClick: () => setOpen('cut') },
          ],
        }}
      >
        <Button size="small" type="text">
          Draw levels ▾
        </Button>
      </Dropdown>
      {open === 'speech' && <BySpeech {...props} onClose={() => setOpen(null)} />}
      {open === 'cut' && <ByCut {...props} onClose={() => setOpen(null)} />}
    </>
  )
}

const number = (label: string, unit: string, value: number, max: number, step: number, onChange: (v: number) => void) => (
  <div className="ask-line">
    <span>{label}</span>
    <InputNumber
      size="small"
      value={value}
      min={0}
      max={max}
      step={step}
      suffix={unit}
      style={{ width: 100 }}
      aria-label={label}
      onChange={(v) => v !== null && onChange(v)}
    />
  </div>
)

function BySpeech({ projectId, doc, rows, whole, edit, onClose }: Props & { onClose: () => void }) {
  const [rules, setRules] = useState<Leading>(USUAL_LEADING)
  const [left, setLeft] = useState<readonly string[]>([])
  const voices = voicesOf(doc, rows)
  const taken = voices.filter((v) => !left.includes(v.row.key))
  const others = rows.filter((r) => !voices.some((v) => v.row.key === r.key))
  return (
    <Modal
      open
      title="Who is heard when"
      okText="Draw the levels"
      width={480}
      okButtonProps={{ disabled: taken.length === 0 }}
      onCancel={onClose}
      onOk={() => {
        const music = others.filter((r) => rules.music.includes(r.key))
        edit(leadEdits(doc, taken, music, rules, whole), 'draw who is heard when')
        onClose()
      }}
    >
      {voices.length === 0 ? (
        <p>
          No phrases are known by who speaks yet. Find speech in <Link to={`/${projectId}/pulse`}>Pulse</Link>, and say there which sounds are somebody’s
          microphone.
        </p>
      ) : (
        <>
          <p className="quiet">Each microphone is up for the words of who wears it, and down otherwise. Levels drawn before are replaced.</p>
          <Checkbox.Group
            style={{ display: 'grid', gap: 4 }}
            value={taken.map((v) => v.row.key)}
            onChange={(keys) => setLeft(voices.filter((v) => !keys.includes(v.row.key)).map((v) => v.row.key))}
            options={voices.map((v) => ({ value: v.row.key, label: `${v.row.name}: ${counted(v.phrases.length, 'phrase')}` }))}
          />
          {number('the others are down by', 'dB', rules.downBy, 60, 1, (downBy) => setRules({ ...rules, downBy }))}
          {number('up before a phrase', 's', rules.lead, 5, 0.05, (lead) => setRules({ ...rules, lead }))}
          {number('stays up after it', 's', rules.tail, 5, 0.05, (tail) => setRules({ ...rules, tail }))}
          <div className="ask-line">
            <span>gives way to all speech</span>
            <Select
              mode="multiple"
              size="small"
              style={{ flex: 1 }}
              placeholder="music, room …"
              aria-label="Gives way to all speech"
              value={[...rules.music]}
              onChange={(music) => setRules({ ...rules, music })}
              options={others.map((r) => ({ value: r.key, label: r.name }))}
            />
          </div>
          {number('by', 'dB', rules.duckBy, 60, 1, (duckBy) => setRules({ ...rules, duckBy }))}
        </>
      )}
    </Modal>
  )
}

function ByCut({ doc, rows, seen, whole, edit, onClose }: Props & { onClose: () => void }) {
  const clips = rows.filter((r) => r.kind === 'clip' && r.clip?.angleId && seen.some((s) => s.angleId === r.clip?.angleId))
  const [chosen, setChosen] = useState<readonly string[]>(clips.map((r) => r.key))
  const [downBy, setDownBy] = useState(60)
  return (
    <Modal
      open
      title="The sound of what is seen"
      okText="Draw the levels"
      width={440}
      okButtonProps={{ disabled: chosen.length === 0 }}
      onCancel={onClose}
      onOk={() => {
        edit(
          followCutEdits(
            doc,
            clips.filter((r) => chosen.includes(r.key)),
            seen,
            downBy,
            whole,
          ),
          'draw the sound of what is seen',
        )
        onClose()
      }}
    >
      <p className="quiet">These are heard while their angle is seen, as the cut is now. The master stays as it is; levels drawn before are replaced.</p>
      {clips.length === 0 ? (
        <p>No angle with sound is seen in this version of the cut.</p>
      ) : (
        <Checkbox.Group
          style={{ display: 'grid', gap: 4, maxHeight: 260, overflow: 'auto' }}
          value={[...chosen]}
          onChange={setChosen}
          options={clips.map((r) => ({ value: r.key, label: `${r.name}, ${r.about}` }))}
        />
      )}
      {number('down by, where they are not seen', 'dB', downBy, 60, 1, setDownBy)}
    </Modal>
  )
}
