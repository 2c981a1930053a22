import { activeCut } from '@pendolo/core/film'
import { TITLE_ALIGNS, TITLE_LETTERS, type TitleStyle, USUAL_TITLE } from '@pendolo/core/picture'
import type { Layer } from '@pendolo/core/project'
import { Button, Input, Segmented, Select, Space } from 'antd'
import { AlignCenter, AlignLeft, AlignRight, Bold } from 'lucide-react'
import { useEffect, useState } from 'react'
import type { StageProps } from '../stage.ts'
import { Colour } from '../ui/colour.tsx'
import { Num } from '../ui/num.tsx'
import { useStable } from '../ui/stable.ts'
import { LayerEnd } from './layer-end.tsx'
import { layerEdit, placed, placeName, TITLE_PLACES } from './titles.ts'

type Props = Pick<StageProps, 'project' | 'edit'> & { readonly layer: Layer; readonly onClose: () => void }

const ICONS = { left: <AlignLeft size={14} />, center: <AlignCenter size={14} />, right: <AlignRight size={14} /> }

/** The words of the chosen title, and how they are drawn and come. */
export function ChosenTitle({ project, edit, layer, onClose }: Props) {
  const cutId = activeCut(project.doc).id
  const style = layer.title ?? USUAL_TITLE
  const change = (to: Partial<Layer>, label = 'change a title') => edit([layerEdit(cutId, { ...layer, ...to })], label)
  const styled = (to: Partial<TitleStyle>) => change({ title: { ...style, ...to } })
  const without = (key: 'bold' | 'box' | 'slides') => {
    const { [key]: _, ...rest } = style
    change({ title: rest })
  }
  return (
    <div className="range-bar" role="toolbar" aria-label="Chosen title">
      <Words key={layer.id} text={layer.text ?? ''} onText={(text) => change({ text }, 'the words of a title')} />
      <Select
        size="small"
        aria-label="Place of the title"
        style={{ width: 124 }}
        value={placeName(layer) ?? 'elsewhere'}
        options={TITLE_PLACES.map(({ name }) => ({ value: name, label: name }))}
        onChange={(name) => edit([layerEdit(cutId, placed(layer, name))], 'place a title')}
      />
      <Num
        label="Height of its letters, %"
        unit="%"
        value={Math.round(1000 * style.letters) / 10}
        min={100 * TITLE_LETTERS[0]}
        max={100 * TITLE_LETTERS[1]}
        step={0.5}
        onChange={(v) => styled({ letters: v / 100 })}
      />
      <Space.Compact>
        <Colour label="Colour of its letters" value={style.colour} onChange={(colour) => styled({ colour })} />
        <Button
          size="small"
          type={style.bold ? 'primary' : 'default'}
          icon={<Bold size={14} />}
          aria-label="Bold"
          aria-pressed={style.bold === true}
          onClick={() => (style.bold ? without('bold') : styled({ bold: true }))}
        />
      </Space.Compact>
      <Segmented
        size="small"
        aria-label="Where its lines begin"
        value={style.align}
        onChange={(align) => styled({ align })}
        options={TITLE_ALIGNS.map((value) => ({ value, icon: ICONS[value], title: value }))}
      />
      <Button
        size="small"
        type={style.box ? 'primary' : 'default'}
        aria-pressed={style.box !== undefined}
        onClick={() => (style.box ? without('box') : styled({ box: { colour: '#101113', share: 0.6 } }))}
      >
        box
      </Button>
      <Segmented
        size="small"
        aria-label="How it comes and goes"
        value={style.slides ? 'slides' : 'fades'}
        onChange={(how) => (how === 'slides' ? styled({ slides: true }) : without('slides'))}
        options={['fades', 'slides']}
      />
      <LayerEnd project={project} edit={edit} layer={layer} onClose={onClose} />
    </div>
  )
}

/** After so long without a key what was typed is taken, ms. */
const PAUSE = 800

/** Its words, taken in each pause and when the field is left; lines are divided where somebody pressed Enter. */
function Words({ text, onText }: { text: string; onText: (text: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null)
  const { take } = useStable({
    take: () => {
      if (typed !== null && typed !== text) onText(typed)
      setTyped(null)
    },
  })
  useEffect(() => {
    if (typed === null) return
    const timer = setTimeout(take, PAUSE)
    return () => clearTimeout(timer)
  }, [typed, take])
  return (
    <Input.TextArea
      size="small"
      aria-label="Words of the title"
      style={{ width: 200 }}
      autoSize={{ minRows: 1, maxRows: 5 }}
      value={typed ?? text}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={take}
    />
  )
}
