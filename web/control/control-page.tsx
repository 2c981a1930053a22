import { type CSSProperties, useEffect, useRef, useState } from 'react'
import { useParams } from 'react-router'
import { type ControlMessage, type ControlState, controlChannel, exactNow } from '../data/control-channel.ts'
import { ANGLE_KEYS } from '../ui/keymap.ts'
import { hueOf } from '../ui/theme.ts'

/** Large buttons for the angles, made for fingers: pressed here, cut in the page that shows Switch. */
export function ControlPage() {
  const { projectId = '' } = useParams()
  const channel = useRef<BroadcastChannel | null>(null)
  const [state, setState] = useState<ControlState | null>(null)
  useEffect(() => {
    const open = controlChannel(projectId)
    channel.current = open
    open.onmessage = ({ data }: MessageEvent<ControlMessage>) => {
      if (data.type === 'state') setState(data)
      if (data.type === 'gone') setState(null)
    }
    const say = (message: ControlMessage) => open.postMessage(message)
    say({ type: 'hello' })
    return () => open.close()
  }, [projectId])
  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if (event.repeat || event.ctrlKey || event.metaKey || event.altKey) return
      const at = exactNow()
      const index = ANGLE_KEYS.findIndex((k) => event.code === (/\d/.test(k) ? `Digit${k}` : `Key${k.toUpperCase()}`))
      const angle = state?.angles[index]
      if (angle) channel.current?.postMessage({ type: 'press', angleId: angle.id, at } satisfies ControlMessage)
      if (event.code === 'Space') channel.current?.postMessage({ type: 'play' } satisfies ControlMessage)
      if (angle || event.code === 'Space') event.preventDefault()
    }
    window.addEventListener('keydown', key)
    return () => window.removeEventListener('keydown', key)
  }, [state])
  if (!state) {
    return (
      <div className="control empty">
        <h2>No stage is open</h2>
        <p>Open Switch of this project in another window of this browser; its angles appear here as buttons.</p>
      </div>
    )
  }
  const columns = Math.max(1, Math.ceil(Math.sqrt(state.angles.length * 1.2)))
  return (
    <div className="control">
      <header>
        <b>{state.project}</b>
        <span className="mono" role="status">
          {state.last ?? ''}
        </span>
        <button type="button" onClick={() => channel.current?.postMessage({ type: 'play' } satisfies ControlMessage)}>
          {state.playing ? 'Stop' : 'Play'}
        </button>
      </header>
      <div className="buttons" style={{ gridTemplateColumns: `repeat(${columns}, 1fr)` }}>
        {state.angles.map((a) => (
          <button
            type="button"
            key={a.id}
            className={['angle', a.id === state.chosen && 'on', a.id === state.waiting && 'waiting'].filter(Boolean).join(' ')}
            style={{ '--hue': hueOf(a.hue) } as CSSProperties}
            aria-pressed={a.id === state.chosen}
            onPointerDown={() => channel.current?.postMessage({ type: 'press', angleId: a.id, at: exactNow() } satisfies ControlMessage)}
            // By keyboard and by what reads the page aloud; a pointer has pressed already.
            onClick={(e) => e.detail === 0 && channel.current?.postMessage({ type: 'press', angleId: a.id, at: exactNow() } satisfies ControlMessage)}
          >
            <span className="key">{a.key}</span>
            <span className="name">{a.name}</span>
          </button>
        ))}
      </div>
    </div>
  )
}
