import { projectRate, timecodeProposals } from '@pendolo/core/project'
import { canDropFrames, frameToTimecode, PROJECT_RATES, parseRate, printRate, type Rate, timecodeToFrame } from '@pendolo/core/time'
import { App, Button, Checkbox, Form, Input, InputNumber, Popover, Select } from 'antd'
import { useMemo, useState } from 'react'
import type { StageProps } from '../stage.ts'

interface Wanted {
  rate: (typeof PROJECT_RATES)[number]
  width: number
  height: number
  starts: string
  dropFrame: boolean
}

/** Frame number of the timecode that was typed. @throws TimecodeError in words */
function readStart(text: string, { rate, dropFrame }: Pick<Wanted, 'rate' | 'dropFrame'>): number {
  const wanted = parseRate(rate) as Rate
  return timecodeToFrame(text, { rate: wanted, dropFrame: dropFrame && canDropFrames(wanted) })
}

/** The project's rate, raster and timecode, proposed from the material and changed here. */
export function SettingsChip({ project, edit }: Pick<StageProps, 'project' | 'edit'>) {
  const { settings } = project.doc
  const rate = projectRate(settings)
  const { message } = App.useApp()
  const [open, setOpen] = useState(false)
  const [form] = Form.useForm<Wanted>()
  const proposals = useMemo(() => timecodeProposals(project.doc, project.files), [project])
  const keep = (v: Wanted) => {
    const next = parseRate(v.rate) as Rate
    const dropFrame = v.dropFrame && canDropFrames(next)
    const change = { rate: v.rate, width: v.width & ~1, height: v.height & ~1, dropFrame, startFrame: readStart(v.starts, v) }
    edit([{ type: 'settings', change }], 'change the settings')
    if (v.dropFrame && !dropFrame) void message.info('Drop-frame counting exists for 29.97 and 59.94 only')
    setOpen(false)
  }
  return (
    <Popover
      trigger="click"
      open={open}
      onOpenChange={setOpen}
      title="Project settings"
      content={
        <Form
          layout="vertical"
          style={{ width: 260 }}
          initialValues={{
            rate: settings.rate,
            width: settings.width,
            height: settings.height,
            starts: frameToTimecode(settings.startFrame, { rate, dropFrame: settings.dropFrame }),
            dropFrame: settings.dropFrame,
          }}
          form={form}
          onFinish={keep}
        >
          <Form.Item name="rate" label="Frames a second">
            <Select options={PROJECT_RATES.map((r) => ({ value: r, label: printRate(parseRate(r) as Rate) }))} />
          </Form.Item>
          <Form.Item name="dropFrame" valuePropName="checked" style={{ marginBottom: 8 }}>
            <Checkbox>drop-frame counting</Checkbox>
          </Form.Item>
          <div style={{ display: 'flex', gap: 8 }}>
            <Form.Item name="width" label="Width">
              <InputNumber min={64} max={8192} />
            </Form.Item>
            <Form.Item name="height" label="Height">
              <InputNumber min={64} max={8192} />
            </Form.Item>
          </div>
          <Form.Item
            name="starts"
            label="Timecode of the master’s beginning"
            dependencies={['rate', 'dropFrame']}
            rules={[
              ({ getFieldsValue }) => ({
                validator: (_, text: string) => {
                  try {
                    readStart(text, getFieldsValue())
                    return Promise.resolve()
                  } catch (error) {
                    return Promise.reject(error)
                  }
                },
              }),
            ]}
          >
            <Input className="mono" autoComplete="off" />
          </Form.Item>
          {proposals.length > 0 && (
            <ul className="proposals" aria-label="Timecode in the material">
              {proposals.map((p) => (
                <li key={p.label}>
                  <button type="button" className="plain mono" onClick={() => form.setFieldsValue({ starts: p.label, dropFrame: p.dropFrame })}>
                    {p.label}
                  </button>{' '}
                  <span className="quiet">{p.names.length > 2 ? `${p.names[0]} and ${p.names.length - 1} more` : p.names.join(', ')}</span>
                </li>
              ))}
            </ul>
          )}
          <Button htmlType="submit" type="primary" block>
            Keep
          </Button>
        </Form>
      }
    >
      <button type="button" className="chip">
        {printRate(rate)} frames a second · {settings.width} × {settings.height}
      </button>
    </Popover>
  )
}
