import type { Angle } from '@pendolo/core/project'
import { Popover } from 'antd'
import { useState } from 'react'
import { Bob } from '../ui/bob.tsx'
import { HUE_NAMES, HUES } from '../ui/theme.ts'

/** An angle's key in its colour; a click offers the others. */
export function Colour({ angle, index, onHue }: { angle: Angle; index: number; onHue: (hue: number) => void }) {
  const [open, setOpen] = useState(false)
  const choose = (hue: number) => {
    setOpen(false)
    if (hue !== angle.hue) onHue(hue)
  }
  const swatches = (
    <div className="swatches" role="group" aria-label={`Colour of ${angle.name}`}>
      {HUES.map((colour, hue) => (
        <button
          key={colour}
          type="button"
          className="plain"
          style={{ background: colour }}
          aria-label={HUE_NAMES[hue]}
          title={HUE_NAMES[hue]}
          aria-pressed={hue === angle.hue}
          onClick={() => choose(hue)}
        />
      ))}
    </div>
  )
  return (
    <Popover content={swatches} trigger="click" open={open} onOpenChange={setOpen} placement="right">
      <button type="button" className="plain" aria-label={`Choose a colour for ${angle.name}`} style={{ lineHeight: 0 }}>
        <Bob index={index} hue={angle.hue} />
      </button>
    </Popover>
  )
}
