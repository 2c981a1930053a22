import { clockOf, factsOfClip, type Placement, POINT_KINDS, type PointKind, projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks, frameStart, ZERO } from '@pendolo/core/time'
import { App } from 'antd'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { useKeys } from '../ui/use-keys.ts'
import { clipFrames, ownTime } from './compare.tsx'
import type { Checking } from './use-checking.ts'

export interface ByHand {
  /** Puts what the right picture shows on what the left one shows. */
  readonly same: () => void
  readonly setPoint: (clipId: string | null, point: PointKind) => void
}

/** Placing the chosen clips by hand, and all keys for it. */
export function usePlacing({ project, edit }: Pick<StageProps, 'project' | 'edit'>, checking: Checking): ByHand {
  const { doc, files } = project
  const { message } = App.useApp()
  const { several, chosen, offset, setOffset, tour, toggleFlam } = checking
  const frame = frameStart(1, projectRate(doc.settings))
  const placement: Placement | null = chosen ? (doc.placements[chosen.id] ?? null) : null
  const chosenId = chosen?.id ?? null
  const chosenFile = files.find((f) => f.id === chosen?.fileId)
  const chosenFacts = chosenFile && chosen ? factsOfClip(chosenFile.facts, chosen) : null
  const nudge = (by: number) => {
    const placed = several.filter((id) => doc.placements[id])
    if (placed.length === 0) return void message.info('Choose a placed clip first')
    edit([{ type: 'nudge', clipIds: placed, by: flicks(Math.round(by)) }], 'nudge')
  }
  const same = () => {
    if (!chosen || placement?.locked) return
    const at = flicks(Math.round(engine.now() - (placement?.rate ?? 1) * ownTime(engine.now(), offset, placement)))
    edit(
      [
        {
          type: 'place',
          by: 'hand',
          placements: {
            [chosen.id]: {
              start: at,
              rate: placement?.rate ?? 1,
              ...(placement?.jumps && { jumps: placement.jumps }),
              method: 'mark',
              verdict: 'sure',
              confidence: 0.9,
              why: [{ code: 'same-instant' }],
              locked: false,
            },
          },
          loose: {},
        },
      ],
      'same instant',
    )
    setOffset(ZERO)
  }
  const stepClip = (by: number) => chosen && setOffset(flicks(offset + clipFrames(chosenFacts, placement?.rate ?? 1, by)))
  const setPoint = (clipId: string | null, point: PointKind) => {
    if (!clipId) return void message.info('Choose a clip first')
    const time = clipId === clockOf(doc) ? engine.now() : ownTime(engine.now(), offset, placement)
    edit([{ type: 'clipPoint', clipId, point, time }], `set the ${point === 'mark' ? 'mark' : `${point} point`}`)
  }
  useKeys(
    'nudgeClip',
    () => nudge(-frame),
    () => nudge(frame),
  )
  useKeys(
    'nudgeClipTenth',
    () => nudge(-frame / 10),
    () => nudge(frame / 10),
  )
  useKeys(
    'nudgeClipMs',
    () => nudge(-FLICKS_PER_SECOND / 1000),
    () => nudge(FLICKS_PER_SECOND / 1000),
  )
  useKeys(
    'stepClip',
    () => stepClip(-1),
    () => stepClip(1),
  )
  useKeys(
    'stepClipTen',
    () => stepClip(-10),
    () => stepClip(10),
  )
  useKeys('tour', tour)
  useKeys('sameInstant', same)
  useKeys('points', ...POINT_KINDS.map((point) => () => setPoint(chosenId, point)))
  useKeys('masterPoints', ...POINT_KINDS.map((point) => () => setPoint(clockOf(doc), point)))
  useKeys('flam', toggleFlam)
  const placedOnes = several.filter((id) => doc.placements[id])
  const allLocked = placedOnes.every((id) => doc.placements[id].locked)
  useKeys('accept', () => placedOnes.length > 0 && edit([{ type: 'accept', clipIds: placedOnes }], 'accept'))
  useKeys('lock', () => placedOnes.length > 0 && edit([{ type: 'lock', clipIds: placedOnes, locked: !allLocked }], 'lock'))

  return { same, setPoint }
}
