import { type Points, pointAt, slide as slideStretch } from '@pendolo/core/cut'
import { activeCut } from '@pendolo/core/film'
import { projectRate, pulseOf } from '@pendolo/core/project'
import { type Flicks, flicks, frameAt, frameStart, nearestFrameStart } from '@pendolo/core/time'
import { Button, Space } from 'antd'
import { ChevronLeft, ChevronRight } from 'lucide-react'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { keyText } from '../ui/keymap.ts'
import { useKeys } from '../ui/use-keys.ts'
import { AngleSelect } from './angle-select.tsx'
import { GivingWay } from './giving-way.tsx'

type Props = Pick<StageProps, 'project' | 'edit'> & {
  readonly points: Points
  /** Beginnings of the stretches that are chosen, ascending. */
  readonly picked: readonly Flicks[]
  readonly onPick: (times: readonly Flicks[]) => void
}

/** What can be done with chosen stretches of the cut; the keys that move cuts move these. */
export function ChosenCuts({ project, edit, points, picked, onPick }: Props) {
  const { doc } = project
  const cutId = activeCut(doc).id
  const rate = projectRate(doc.settings)
  const frame = frameStart(1, rate)
  const split = () => {
    const time = frameStart(frameAt(engine.now(), rate), rate)
    if (edit([{ type: 'split', cutId, time }], 'split')) onPick([time])
  }
  useKeys('splitCut', split)
  useKeys('nothing', () => onPick([]))
  if (picked.length === 0) return null
  const name = (angleId: string) => doc.angles.find((a) => a.id === angleId)?.name ?? '?'
  const [first] = picked
  const ruling = points[pointAt(points, first)]
  const give = (angleId: string) => edit([{ type: 'reassign', cutId, times: [...picked], choice: { angleId } }], 'give another angle')
  const slide = (by: number) => {
    const index = pointAt(points, first)
    if (!points[index + 1]) return
    const moved = slideStretch(points, first, by, frame)[index].time
    if (edit([{ type: 'slide', cutId, time: first, by: flicks(by) }], 'slide a stretch')) onPick([moved])
  }
  const beats = pulseOf(doc)?.beats ?? []
  const beat = (direction: 1 | -1): number => {
    const other = direction > 0 ? beats.find((b) => nearestFrameStart(b, rate) > first) : beats.findLast((b) => nearestFrameStart(b, rate) < first)
    return other === undefined ? 0 : nearestFrameStart(other, rate) - first
  }
  const join = () => {
    if (edit([{ type: 'join', cutId, times: [...picked] }], picked.length === 1 ? 'join' : 'join cuts')) onPick([])
  }
  return (
    <div className="range-bar" role="toolbar" aria-label="Chosen cuts">
      <span>{picked.length === 1 ? name(ruling?.angleId ?? '') : `${picked.length} stretches`}</span>
      <GivingWay project={project} edit={edit} points={points} picked={picked} />
      <AngleSelect project={project} label="Give another angle" placeholder="give another angle" width={160} onChoose={give} />
      {picked.length === 1 && (
        <Space.Compact>
          <Button size="small" aria-label="Slide a beat earlier" disabled={beats.length === 0} onClick={() => slide(beat(-1))}>
            −1 beat
          </Button>
          <Button size="small" aria-label="Slide a frame earlier" icon={<ChevronLeft size={14} />} onClick={() => slide(-frame)} />
          <Button size="small" disabled style={{ cursor: 'default' }}>
            slide
          </Button>
          <Button size="small" aria-label="Slide a frame later" icon={<ChevronRight size={14} />} onClick={() => slide(frame)} />
          <Button size="small" aria-label="Slide a beat later" disabled={beats.length === 0} onClick={() => slide(beat(1))}>
            +1 beat
          </Button>
        </Space.Compact>
      )}
      {picked.length === 2 && (
        <Button size="small" onClick={() => edit([{ type: 'swap', cutId, a: picked[0], b: picked[1] }], 'swap two stretches')}>
          Swap
        </Button>
      )}
      <Button size="small" onClick={split} title={keyText('splitCut')}>
        Split at the playhead
      </Button>
      <Button size="small" onClick={join}>
        Join
      </Button>
      <Button size="small" onClick={() => onPick([])}>
        Clear
      </Button>
    </div>
  )
}
