import type { Layer } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, type Rate } from '@pendolo/core/time'
import { type Geometry, HEAD, LABELS, xAt } from './geometry.ts'
import type { LayerRows } from './layer-rows.ts'
import { useDragged } from './use-dragged.ts'
import type { ScoreActions } from './use-score-gestures.ts'

/** Width of an edge that is taken hold of, px. */
const EDGE = 7

interface Props {
  readonly geometry: Geometry
  /** From the lowest to the highest. */
  readonly layers: readonly Layer[]
  readonly rows: LayerRows
  readonly chosen: string | null
  readonly rate: Rate
  readonly label: (time: Flicks) => string
  readonly cutId: string
  /** Of an angle. */
  readonly nameOf: (angleId: string) => string | undefined
  readonly actions: Pick<ScoreActions, 'snap' | 'edit' | 'pickLayer'>
}

/** What lies over the picture, as a band above the lanes: moved and trimmed there, pulled by the magnet. */
export function LayerBand(props: Props) {
  return (
    <>
      <b className="layer-band-name" style={{ top: HEAD + props.geometry.wave }}>
        Layers
      </b>
      {props.layers.map((layer) => (
        <Bar key={layer.id} {...props} layer={layer} />
      ))}
    </>
  )
}

function Bar({ geometry, layer, rows, chosen, rate, label, cutId, nameOf, actions }: Omit<Props, 'layers'> & { layer: Layer }) {
  const { from, to } = layer
  const frame = frameStart(1, rate)
  const set = (to: Pick<Layer, 'from' | 'to'>, words: string) => actions.edit([{ type: 'layers', cutId, layers: [{ ...layer, ...to }] }], words)
  const own = { geometry, rate, onPress: () => actions.pickLayer(layer.id) }
  const [moved, body] = useDragged({
    ...own,
    time: from,
    onMove: (time) => {
      const start = actions.snap(time)
      set({ from: start, to: flicks(start + to - from) }, 'move a layer')
    },
  })
  const [begins, left] = useDragged({
    ...own,
    time: from,
    onMove: (time) => set({ from: flicks(Math.min(actions.snap(time), to - frame)), to }, 'trim a layer'),
  })
  const [ends, right] = useDragged({
    ...own,
    time: to,
    onMove: (time) => set({ from, to: flicks(Math.max(actions.snap(time), from + frame)) }, 'trim a layer'),
  })
  const [start, end] = moved === null ? [begins ?? from, ends ?? to] : [moved, moved + to - from]
  const [a, b] = [start, end].map((t) => xAt(geometry, t / FLICKS_PER_SECOND))
  const [x, width] = [Math.max(LABELS, a), Math.min(LABELS + geometry.plotWidth, b) - Math.max(LABELS, a)]
  if (width < 1) return null
  const words = layer.kind === 'title' ? layer.text?.split('\n')[0] || 'title' : (nameOf(layer.angleId ?? layer.fileId ?? '') ?? layer.kind)
  const place = { top: HEAD + geometry.wave + (rows.count - 1 - (rows.rowOf.get(layer.id) ?? 0)) * rows.height, height: rows.height - 3 }
  return (
    <div className={chosen === layer.id ? 'layer-bar chosen' : 'layer-bar'} style={{ left: x, width, ...place }}>
      <button
        type="button"
        {...body}
        style={{ lineHeight: `${place.height - 4}px` }}
        aria-pressed={chosen === layer.id}
        aria-label={`${layer.kind} ${words} from ${label(from)} to ${label(to)}`}
        onKeyDown={(e) => {
          if (e.key === 'Delete') actions.edit([{ type: 'removeLayers', cutId, layerIds: [layer.id] }], 'remove a layer')
        }}
      >
        {words}
      </button>
      {a >= LABELS && <span {...left} className="edge" style={{ left: 0, width: EDGE }} />}
      {b <= LABELS + geometry.plotWidth && <span {...right} className="edge" style={{ right: 0, width: EDGE }} />}
    </div>
  )
}
