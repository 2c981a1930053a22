import { activeCut } from '@pendolo/core/film'
import { type InsetEdge, SQUARE_EDGE } from '@pendolo/core/picture'
import type { Layer } from '@pendolo/core/project'
import { Button, Segmented } from 'antd'
import type { StageProps } from '../stage.ts'
import { AngleSelect } from './angle-select.tsx'
import { LayerEnd } from './layer-end.tsx'
import { LayerPlace } from './layer-place.tsx'
import { nameSeen } from './name-seen.ts'
import { CORNERS, cornersOf, INSET_PLACES, layerEdit } from './titles.ts'

type Props = Pick<StageProps, 'project' | 'edit'> & { readonly layer: Layer; readonly onClose: () => void }

const BORDER = { width: 0.004, colour: '#f3ead7' }
const SHADOW = 0.5

/** Which angle the chosen inset shows, where, and how its edges are. */
export function ChosenInset({ project, edit, layer, onClose }: Props) {
  const { doc } = project
  const cutId = activeCut(doc).id
  const edge = layer.edge ?? SQUARE_EDGE
  const change = (to: Partial<Layer>, label = 'change an inset') => edit([layerEdit(cutId, { ...layer, ...to })], label)
  const edged = (to: Partial<InsetEdge>) => change({ edge: { ...edge, ...to } })
  const without = (key: 'border' | 'shadow') => {
    const { [key]: _, ...rest } = edge
    change({ edge: rest })
  }
  return (
    <div className="range-bar" role="toolbar" aria-label="Chosen inset">
      <span>{nameSeen(project, layer)}</span>
      <AngleSelect
        pictured
        project={project}
        label="Show another angle in the inset"
        placeholder="show …"
        width={120}
        onChoose={(angleId) => change({ angleId })}
      />
      <LayerPlace layer={layer} what="inset" places={INSET_PLACES} width={116} least={5} onPlace={(place, label) => change({ place }, label)} />
      <Segmented
        size="small"
        aria-label="Its corners"
        value={cornersOf(edge)}
        onChange={(name) => edged({ round: CORNERS.find((c) => c.name === name)?.round ?? 0 })}
        options={CORNERS.map((c) => c.name)}
      />
      <Button
        size="small"
        type={edge.border ? 'primary' : 'default'}
        aria-pressed={!!edge.border}
        onClick={() => (edge.border ? without('border') : edged({ border: BORDER }))}
      >
        border
      </Button>
      <Button
        size="small"
        type={edge.shadow ? 'primary' : 'default'}
        aria-pressed={!!edge.shadow}
        onClick={() => (edge.shadow ? without('shadow') : edged({ shadow: SHADOW }))}
      >
        shadow
      </Button>
      <LayerEnd project={project} edit={edit} layer={layer} onClose={onClose} />
    </div>
  )
}
