import type { Layer } from '@pendolo/core/project'
import { Select } from 'antd'
import { Num } from '../ui/num.tsx'
import { nameOfPlace, type Place, resized } from './titles.ts'

interface Props {
  readonly layer: Layer
  /** What it is: 'still'. */
  readonly what: string
  readonly places: readonly Place[]
  /** Pixels. */
  readonly width: number
  /** Of its height, %. */
  readonly least: number
  readonly onPlace: (place: Layer['place'], label: string) => void
}

/** Where a layer lies in the frame, and how large it is. */
export function LayerPlace({ layer, what, places, width, least, onPlace }: Props) {
  return (
    <>
      <Select
        size="small"
        aria-label={`Place of the ${what}`}
        style={{ width }}
        value={nameOfPlace(layer, places) ?? 'elsewhere'}
        options={places.map(({ name }) => ({ value: name, label: name }))}
        onChange={(name) => onPlace(places.find((p) => p.name === name)?.place ?? layer.place, `place ${what === 'inset' ? 'an' : 'a'} ${what}`)}
      />
      <Num
        label={`Size of the ${what}, %`}
        unit="%"
        value={Math.round(1000 * layer.place.height) / 10}
        min={least}
        max={100}
        step={1}
        onChange={(v) => onPlace(resized(layer.place, v / 100), `size ${what === 'inset' ? 'an' : 'a'} ${what}`)}
      />
    </>
  )
}
