import type { ProjectState } from '@pendolo/api'
import { LEAST_TEMPO, METRES_ASKED, MOST_TEMPO } from '@pendolo/core/pulse'
import { Button, Form, InputNumber, Modal, Select, Space } from 'antd'
import { useState } from 'react'

interface Props {
  readonly open: boolean
  readonly pulse: ProjectState['doc']['pulse']
  readonly onClose: () => void
  readonly onFind: (said: { tempoBpm?: number; metre?: number }) => void
}

const within = (tempo: number) => Math.max(LEAST_TEMPO, Math.min(MOST_TEMPO, Math.round(tempo * 10) / 10))

/** Asks who knows the music how fast it is and how it is counted; the search obeys. */
export function AsISay({ open, pulse, onClose, onFind }: Props) {
  const found = pulse && pulse.tempoBpm > 0 ? within(pulse.tempoBpm) : null
  const [tempo, setTempo] = useState<number | null>(null)
  const [metre, setMetre] = useState<number | null>(null)
  const find = () => onFind({ ...(tempo !== null && { tempoBpm: tempo }), ...(metre !== null && { metre }) })
  return (
    <Modal
      open={open}
      title="The pulse as you know it"
      okText="Find it so"
      okButtonProps={{ disabled: tempo === null && metre === null }}
      width={440}
      onCancel={onClose}
      onOk={find}
      destroyOnHidden
    >
      <Form layout="vertical" onFinish={find}>
        <Form.Item label="About so many beats a minute" htmlFor="said-tempo" extra={found === null ? undefined : `found now: ${found}`}>
          <Space>
            <InputNumber id="said-tempo" min={LEAST_TEMPO} max={MOST_TEMPO} value={tempo} onChange={setTempo} placeholder="as found" />
            <Button disabled={found === null} onClick={() => setTempo(within((found ?? 0) / 2))}>
              Half
            </Button>
            <Button disabled={found === null} onClick={() => setTempo(within(2 * (found ?? 0)))}>
              Double
            </Button>
          </Space>
        </Form.Item>
        <Form.Item label="Beats a bar" htmlFor="said-metre">
          <Select
            id="said-metre"
            style={{ width: 160 }}
            value={metre}
            onChange={setMetre}
            options={[{ value: null, label: 'as found' }, ...METRES_ASKED.map((n) => ({ value: n, label: `in ${n}` }))]}
          />
        </Form.Item>
        <p className="quiet">
          What you have tapped or corrected leads too: lock that stretch, and level, beats and bars of all the rest follow it. Locked stretches stay as they
          are.
        </p>
      </Form>
    </Modal>
  )
}
