import { type Points, TRANSITION_KINDS, type TransitionKind } from '@pendolo/core/cut'
import { activeCut } from '@pendolo/core/film'
import { projectRate, pulseOf } from '@pendolo/core/project'
import { type Flicks, frameStart } from '@pendolo/core/time'
import { Button, Popover, Segmented } from 'antd'
import { useState } from 'react'
import { filmFor } from '../playback/film.ts'
import type { StageProps } from '../stage.ts'
import { Num } from '../ui/num.tsx'
import { commonTransition, givingEdits, type Lasting } from './giving.ts'

type Props = Pick<StageProps, 'project' | 'edit'> & { readonly points: Points; readonly picked: readonly Flicks[] }

const WORDS: Readonly<Record<TransitionKind, string>> = { dissolve: 'dissolve', dip: 'through black', 'dip-white': 'through white' }
/** Lengths that are asked for at once. */
const LENGTHS: readonly { readonly lasting: Lasting; readonly label: string }[] = [
  { lasting: { count: 0.5, unit: 'beats' }, label: '½ beat' },
  { lasting: { count: 1, unit: 'beats' }, label: '1 beat' },
  { lasting: { count: 2, unit: 'beats' }, label: '2 beats' },
  { lasting: { count: 4, unit: 'beats' }, label: '4 beats' },
]
const USUAL: Lasting = { count: 12, unit: 'frames' }

/** How the pictures before the chosen cuts give way: at once, or over a while. */
export function GivingWay({ project, edit, points, picked }: Props) {
  const { doc } = project
  const cutId = activeCut(doc).id
  const frame = frameStart(1, projectRate(doc.settings))
  const beats = pulseOf(doc)?.beats ?? []
  const common = commonTransition(points, picked)
  const [lasting, setLasting] = useState<Lasting | null>(null)
  const kind = common === undefined ? null : (common?.kind ?? 'at-once')
  const frames = Math.round((common?.length ?? 0) / frame)
  const asked = lasting ?? (frames > 0 ? { count: frames, unit: 'frames' as const } : USUAL)
  const give = (next: TransitionKind | 'at-once', how: Lasting) => {
    const edits = givingEdits(cutId, points, picked, next === 'at-once' ? null : { kind: next, lasting: how }, beats, frame)
    if (edits.length > 0) edit(edits, next === 'at-once' ? 'a plain cut' : WORDS[next])
  }
  const longer = (how: Lasting) => {
    setLasting(how)
    give(kind === null || kind === 'at-once' ? 'dissolve' : kind, how)
  }
  const passages = filmFor(project).passages(cutId)
  const hurried = points.filter((p) => {
    if (!p.transition || !picked.includes(p.time)) return false
    const passage = passages.find((one) => one.at === p.time)
    return !passage || 2 * passage.half < p.transition.length - frame / 2
  }).length
  const label = kind === null ? 'gives way …' : kind === 'at-once' ? 'gives way at once' : `${WORDS[kind]}, ${frames} frames`
  return (
    <Popover
      trigger="click"
      placement="bottom"
      title="The picture before gives way"
      content={
        <div className="giving-way">
          <Segmented
            size="small"
            aria-label="How the picture before gives way"
            value={kind ?? ''}
            onChange={(next) => give(next as TransitionKind | 'at-once', asked)}
            options={[{ value: 'at-once', label: 'at once' }, ...TRANSITION_KINDS.map((value) => ({ value, label: WORDS[value] }))]}
          />
          <div className="line">
            <Num
              label="Length of the transition, frames"
              unit="frames"
              value={frames || USUAL.count}
              min={1}
              max={1500}
              step={1}
              onChange={(count) => longer({ count, unit: 'frames' })}
            />
            {LENGTHS.map(({ lasting: how, label: words }) => (
              <Button key={words} size="small" disabled={beats.length === 0} onClick={() => longer(how)}>
                {words}
              </Button>
            ))}
          </div>
          {hurried > 0 && (
            <span className="warn">
              {hurried === picked.length ? '' : `${hurried} of ${picked.length} `}shorter than that: no more picture, or the next cut is near
            </span>
          )}
        </div>
      }
    >
      <Button size="small">{label} ▾</Button>
    </Popover>
  )
}
