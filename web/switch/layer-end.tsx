import { activeCut } from '@pendolo/core/film'
import { type Layer, type LayerKind, projectRate } from '@pendolo/core/project'
import { flicks, frameStart } from '@pendolo/core/time'
import { Button } from 'antd'
import { Trash2 } from 'lucide-react'
import type { StageProps } from '../stage.ts'
import { Num } from '../ui/num.tsx'
import { layerEdit } from './titles.ts'

type Props = Pick<StageProps, 'project' | 'edit'> & { readonly layer: Layer; readonly onClose: () => void }

const NAMES: Readonly<Record<LayerKind, string>> = { inset: 'an inset', background: 'a background', still: 'a still', title: 'a title' }

/** What can be done with a layer of any kind: how long it comes and goes, unless it is a background, and its removal. */
export function LayerEnd({ project, edit, layer, onClose }: Props) {
  const cutId = activeCut(project.doc).id
  const frame = frameStart(1, projectRate(project.doc.settings))
  const name = NAMES[layer.kind]
  const fade = (frames: number) => {
    const length = flicks(Math.round(frames) * frame)
    edit([layerEdit(cutId, { ...layer, fadeIn: length, fadeOut: length })], `change ${name}`)
  }
  return (
    <>
      {layer.kind !== 'background' && (
        <Num label="It comes and goes in, frames" unit="frames" value={Math.round((layer.fadeIn ?? 0) / frame)} min={0} max={1500} step={1} onChange={fade} />
      )}
      <Button
        size="small"
        icon={<Trash2 size={14} />}
        aria-label={`Remove the ${layer.kind}`}
        onClick={() => {
          if (edit([{ type: 'removeLayers', cutId, layerIds: [layer.id] }], `remove ${name}`)) onClose()
        }}
      />
      <Button size="small" onClick={onClose}>
        Done
      </Button>
    </>
  )
}
