import { activeCut } from '@pendolo/core/film'
import { type ColourKey, KEY_BOUNDS, USUAL_KEY } from '@pendolo/core/picture'
import type { Layer } from '@pendolo/core/project'
import { Button, Space } from 'antd'
import { Pipette } from 'lucide-react'
import { useState } from 'react'
import { filmFor } from '../playback/film.ts'
import { PickColour } from '../playback/pick-colour.tsx'
import { useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { Colour } from '../ui/colour.tsx'
import { Num } from '../ui/num.tsx'
import { AngleSelect } from './angle-select.tsx'
import { LayerEnd } from './layer-end.tsx'
import { nameSeen } from './name-seen.ts'
import { layerEdit } from './titles.ts'

type Props = Pick<StageProps, 'project' | 'edit'> & { readonly layer: Layer; readonly onClose: () => void }

const NUMBERS: readonly { key: Exclude<keyof ColourKey, 'colour'>; label: string; unit: string; times: number; step: number }[] = [
  { key: 'tolerance', label: 'How unlike it may be', unit: '% unlike', times: 100, step: 1 },
  { key: 'softness', label: 'How soft its edge is', unit: '% soft', times: 100, step: 1 },
  { key: 'spill', label: 'How much of its tint is taken away', unit: '% tint', times: 100, step: 1 },
  { key: 'exposure', label: 'Brightness before the key', unit: 'stops', times: 1, step: 0.1 },
]

/** Which angle is seen behind the picture, and what of the picture it is seen through. */
export function ChosenBackground({ project, edit, layer, onClose }: Props) {
  const { doc } = project
  const cutId = activeCut(doc).id
  const [picking, setPicking] = useState(false)
  const film = filmFor(project)
  const angleId = useEngine(({ time }) => film.shownAt(cutId, time).angleId ?? null)
  const key = layer.key ?? USUAL_KEY
  const change = (to: Partial<Layer>, label = 'change a background') => edit([layerEdit(cutId, { ...layer, ...to })], label)
  const keyed = (to: Partial<ColourKey>) => change({ key: { ...key, ...to } }, 'change a key')
  return (
    <div className="range-bar" role="toolbar" aria-label="Chosen background">
      <span>behind: {nameSeen(project, layer)}</span>
      <AngleSelect pictured project={project} label="Show another angle behind" placeholder="show …" width={104} onChoose={(angleId) => change({ angleId })} />
      <Space.Compact>
        <Colour label="Colour that is taken for nothing" value={key.colour} onChange={(colour) => keyed({ colour })} />
        <Button
          size="small"
          title="take the colour from the programme’s picture"
          type={picking ? 'primary' : 'default'}
          icon={<Pipette size={14} />}
          aria-label="Pick the colour from the picture"
          aria-pressed={picking}
          onClick={() => setPicking(!picking)}
        />
      </Space.Compact>
      {NUMBERS.map(({ key: name, label, unit, times, step }) => (
        <Num
          key={name}
          label={`${label}, ${unit}`}
          unit={unit}
          value={Math.round((key[name] ?? 0) * times * 100) / 100}
          min={KEY_BOUNDS[name][0] * times}
          max={KEY_BOUNDS[name][1] * times}
          step={step}
          onChange={(v) => keyed({ [name]: v / times })}
        />
      ))}
      <LayerEnd project={project} edit={edit} layer={layer} onClose={onClose} />
      {picking && (
        <PickColour
          project={project}
          clipAt={(time) => film.shownAt(cutId, time).clipId}
          look={doc.angles.find((a) => a.id === angleId)?.look ?? null}
          onPick={(colour) => {
            setPicking(false)
            if (colour) keyed({ colour })
          }}
        >
          Click on the cloth, where it is lit as most of it is.
        </PickColour>
      )}
    </div>
  )
}
