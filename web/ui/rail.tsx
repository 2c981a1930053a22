import { Button, Tooltip } from 'antd'
import { Keyboard, SunMoon } from 'lucide-react'
import { memo } from 'react'
import { Link, useParams } from 'react-router'
import { keyText } from './keymap.ts'

export const STAGES = [
  { path: 'gather', name: 'Gather' },
  { path: 'line-up', name: 'Line up' },
  { path: 'pulse', name: 'Pulse' },
  { path: 'switch', name: 'Switch' },
  { path: 'balance', name: 'Balance' },
  { path: 'hand-over', name: 'Hand over' },
] as const

export type StagePath = (typeof STAGES)[number]['path']

interface RailProps {
  readonly current: StagePath | null
  readonly done: readonly boolean[]
  readonly onKeys: () => void
  readonly onPaper: () => void
}

/** The six stages as bobs on a pendulum rod; the current one swung out. */
export const Rail = memo(function Rail({ current, done, onKeys, onPaper }: RailProps) {
  const { projectId } = useParams()
  const at = STAGES.findIndex((s) => s.path === current)
  return (
    <div className="rail">
      <Link to="/" className="wordmark" aria-label="Pendolo, all projects">
        Pendolo
      </Link>
      {current && (
        <nav aria-label="Stages">
          <svg width="84" height="470" aria-hidden="true">
            <line x1="42" y1="0" x2="42" y2="424" stroke="#3a3c41" strokeWidth="2" />
            {STAGES.map((stage, i) => {
              const y = 34 + i * 78
              const on = i === at
              const x = on ? 54 : 42
              return (
                <g key={stage.path}>
                  {on && <line x1="42" y1={Math.max(0, y - 62)} x2={x} y2={y} stroke="#c9973f" strokeWidth="2" />}
                  <circle
                    cx={x}
                    cy={y}
                    r={on ? 13 : 8}
                    fill={on ? '#c9973f' : done[i] ? '#6b6a66' : '#17181b'}
                    stroke={on ? '#c9973f' : '#6b6a66'}
                    strokeWidth="2"
                  />
                </g>
              )
            })}
          </svg>
          {STAGES.map((stage, i) => (
            <Link
              key={stage.path}
              to={`/${projectId}/${stage.path}`}
              className="stage-link"
              style={{ top: 8 + i * 78 }}
              aria-current={i === at ? 'page' : undefined}
            >
              <span>{stage.name}</span>
            </Link>
          ))}
        </nav>
      )}
      <div className="below">
        <Tooltip title="Paper for bright or dark rooms" placement="right">
          <Button type="text" aria-label="Change the paper between light and dim" icon={<SunMoon size={17} />} onClick={onPaper} />
        </Tooltip>
        <Tooltip title={`All keys (${keyText('help')})`} placement="right">
          <Button type="text" aria-label="All keys" icon={<Keyboard size={17} />} onClick={onKeys} />
        </Tooltip>
      </div>
    </div>
  )
})
