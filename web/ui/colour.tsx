import { ColorPicker } from 'antd'

interface Props {
  readonly label: string
  /** `#rrggbb`. */
  readonly value: string
  readonly onChange: (colour: string) => void
}

/** A colour that is chosen, without anything to be seen through. */
export const Colour = ({ label, value, onChange }: Props) => (
  <ColorPicker size="small" disabledAlpha value={value} onChangeComplete={(c) => onChange(c.toHexString().slice(0, 7))} aria-label={label} />
)
