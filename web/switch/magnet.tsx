import { MAGNETS, type Magnet } from '@pendolo/core/cut'
import { Checkbox, InputNumber, Popover, Segmented } from 'antd'
import type { StageProps } from '../stage.ts'
import { Own } from '../ui/own.tsx'
import { setTouchLag, useTouchLag } from '../ui/touch-lag.ts'

/** Where cuts land. */
const PULLS: Record<Magnet, string> = {
  off: 'exactly where the key was pressed',
  beat: 'on the nearest beat',
  bar: 'on the nearest first beat of a bar',
  hit: 'on a strong hit near by, exact to a few milliseconds',
  phrase: 'on the nearest first word of a phrase',
  mark: 'on the nearest mark: first words, cues, parts',
}

/** What pulls cuts to itself, by how much earlier, and how late one's own presses come. */
export function MagnetChip({ project, edit }: Pick<StageProps, 'project' | 'edit'>) {
  const { magnet: pull, lead, waits = false } = project.doc.settings
  const lag = useTouchLag()
  return (
    <Popover
      trigger="click"
      title="What pulls cuts to itself"
      content={
        <div style={{ display: 'grid', gap: 10, width: 340 }}>
          <Segmented
            block
            options={MAGNETS.map((m) => ({ value: m, label: m, title: PULLS[m] }))}
            value={pull}
            onChange={(magnet) => edit([{ type: 'settings', change: { magnet } }], 'set the magnet')}
          />
          <span className="quiet">{PULLS[pull]}</span>
          <Checkbox
            checked={waits}
            disabled={pull === 'off'}
            onChange={(e) => edit([{ type: 'settings', change: { waits: e.target.checked } }], 'set the magnet')}
          >
            a press waits for the next one, and shows that it waits
          </Checkbox>
          <label htmlFor="lead">
            <Own word="lead" />, frames before it{' '}
            <InputNumber
              id="lead"
              size="small"
              min={-50}
              max={50}
              value={lead}
              onChange={(v) => edit([{ type: 'settings', change: { lead: Math.round(v ?? 0) } }], 'set the lead')}
            />
          </label>
          <label htmlFor="touch-lag">
            my <Own word="touch lag" />, ms <InputNumber id="touch-lag" size="small" min={-200} max={500} value={lag} onChange={(v) => setTouchLag(v ?? 0)} />
          </label>
        </div>
      }
    >
      <button type="button" className="chip">
        <Own word="magnet" />: {waits && pull !== 'off' ? `next ${pull}` : pull}
        {lead !== 0 ? ` · lead ${lead} f` : ''}
      </button>
    </Popover>
  )
}
