import { activeCut } from '@pendolo/core/film'
import type { Layer } from '@pendolo/core/project'
import { Button } from 'antd'
import { filmFor } from '../playback/film.ts'
import { keptOf } from '../playback/model.ts'
import type { StageProps } from '../stage.ts'
import { Num } from '../ui/num.tsx'
import { LayerEnd } from './layer-end.tsx'
import { LayerPlace } from './layer-place.tsx'
import { grown, layerEdit, STILL_PLACES } from './titles.ts'

type Props = Pick<StageProps, 'project' | 'edit'> & { readonly layer: Layer; readonly onClose: () => void }

/** How much larger a still becomes that moves, unless somebody says otherwise. */
const USUAL_GROWTH = 1.15

/** Where the chosen still lies, whether it moves, and how it comes. */
export function ChosenStill({ project, edit, layer, onClose }: Props) {
  const { doc, files } = project
  const cutId = activeCut(doc).id
  const change = (to: Partial<Layer>, label = 'change a still') => edit([layerEdit(cutId, { ...layer, ...to })], label)
  const { placeTo, ...standing } = layer
  const growth = placeTo ? placeTo.width / layer.place.width : 1
  const placed = (place: Layer['place'], label: string) => change({ place, ...(placeTo && { placeTo: grown(place, growth) }) }, label)
  const whole = keptOf(filmFor(project))
  const forAll = layer.from <= whole.start && layer.to >= whole.end
  return (
    <div className="range-bar" role="toolbar" aria-label="Chosen still">
      <span>{files.find((f) => f.id === layer.fileId)?.name ?? '?'}</span>
      <LayerPlace layer={layer} what="still" places={STILL_PLACES} width={130} least={2} onPlace={placed} />
      <Button
        size="small"
        type={placeTo ? 'primary' : 'default'}
        aria-pressed={placeTo !== undefined}
        title="it grows slowly from its beginning to its end, or shrinks"
        onClick={() =>
          edit(
            [layerEdit(cutId, placeTo ? standing : { ...layer, placeTo: grown(layer.place, USUAL_GROWTH) })],
            placeTo ? 'let a still stand' : 'let a still move',
          )
        }
      >
        moves
      </Button>
      {placeTo && (
        <Num
          label="Its size at its end, % of that at its beginning"
          unit="% end"
          value={Math.round(100 * growth)}
          min={50}
          max={200}
          step={1}
          onChange={(v) => change({ placeTo: grown(layer.place, v / 100) })}
        />
      )}
      <Button size="small" disabled={forAll} onClick={() => change({ from: whole.start, to: whole.end }, 'a still over all of the film')}>
        over all of the film
      </Button>
      <LayerEnd project={project} edit={edit} layer={layer} onClose={onClose} />
    </div>
  )
}
