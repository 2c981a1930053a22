import { anglesInUse, projectRate } from '@pendolo/core/project'
import { frameStart, printTimecode } from '@pendolo/core/time'
import { Button, Modal } from 'antd'
import { useEffect, useRef, useState } from 'react'
import { type ControlMessage, controlChannel, exactNow } from '../data/control-channel.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { angleKey, Bob } from '../ui/bob.tsx'
import { angleOfPress, FIRST_NOTE, hearMidi, keepLearnt, pressOf, readLearnt, withLearnt } from './midi.ts'
import type { Cutting } from './use-cutting.ts'

type Props = Pick<StageProps, 'project'> & { readonly cutting: Cutting; readonly chosen: string | null }

/** What became of the last press: where it landed, and how far the magnet took it. */
export function lastText({ project, cutting: { last, held } }: Omit<Props, 'chosen'>): string | null {
  if (!last || !held) return null
  const { settings, angles } = project.doc
  const style = { rate: projectRate(settings), dropFrame: settings.dropFrame }
  const frames = Math.round(last.moved / frameStart(1, style.rate))
  const late = last.late >= 1 ? `, ${Math.round(last.late)} ms on its way` : ''
  const moved = frames === 0 ? '' : ` ${frames > 0 ? '+' : '−'}${Math.abs(frames)} f`
  return `${angles.find((a) => a.id === last.angleId)?.name ?? ''} ${printTimecode(last.at, style, settings.startFrame)}${moved}${late}`
}

/** Presses from control pages and MIDI controllers cut like keys; what the stage shows is told to control pages. */
export function useControllers(props: Props) {
  const { project, cutting, chosen } = props
  const [asking, setAsking] = useState(false)
  const [real, setReal] = useState(() => Object.keys(readLearnt()).length > 0)
  const [devices, setDevices] = useState<readonly string[] | null>([])
  const [learnt, setLearnt] = useState(readLearnt)
  const [learning, setLearning] = useState<number | null>(null)
  const [heard, setHeard] = useState<string | null>(null)
  const latest = useRef({ ...props, learnt, learning })
  latest.current = { ...props, learnt, learning }
  const channel = useRef<BroadcastChannel | null>(null)
  const playing = useEngine((s) => s.playing)
  const last = lastText(props)

  const told = useRef<() => void>(() => undefined)
  told.current = () => {
    const angles = anglesInUse(project.doc).map(({ id, name, hue }, i) => ({ id, key: angleKey(i), name, hue }))
    channel.current?.postMessage({ type: 'state', project: project.name, angles, chosen, waiting: cutting.waiting, playing, last } satisfies ControlMessage)
  }
  useEffect(() => {
    const open = controlChannel(project.id)
    channel.current = open
    open.onmessage = ({ data }: MessageEvent<ControlMessage>) => {
      if (data.type === 'hello') told.current()
      if (data.type === 'play') engine.toggle()
      if (data.type === 'press' && anglesInUse(latest.current.project.doc).some((a) => a.id === data.angleId))
        latest.current.cutting.choose(data.angleId, false, undefined, Math.max(0, exactNow() - data.at))
    }
    told.current()
    const gone = () => open.postMessage({ type: 'gone' } satisfies ControlMessage)
    window.addEventListener('pagehide', gone)
    return () => {
      window.removeEventListener('pagehide', gone)
      gone()
      open.close()
    }
  }, [project.id])
  // biome-ignore lint/correctness/useExhaustiveDependencies: told anew whenever one of these changes
  useEffect(() => told.current(), [project.doc, chosen, cutting.waiting, playing, last])

  useEffect(
    () =>
      hearMidi(
        real,
        (message) => {
          const press = pressOf(message)
          if (press === null) return
          setHeard(press)
          const now = latest.current
          if (now.learning !== null) {
            const next = withLearnt(now.learnt, press, now.learning)
            keepLearnt(next)
            setLearnt(next)
            setLearning(null)
            return
          }
          const index = angleOfPress(press, now.learnt)
          const angle = index === null ? undefined : anglesInUse(now.project.doc)[index]
          if (angle) now.cutting.choose(angle.id, false, undefined, Math.max(0, performance.now() - message.at))
        },
        setDevices,
      ),
    [real],
  )
  const close = () => {
    setAsking(false)
    setLearning(null)
  }
  const forget = () => {
    keepLearnt({})
    setLearnt({})
  }
  const learn = (index: number) => {
    setReal(true)
    setLearning(learning === index ? null : index)
  }
  const modal = asking && (
    <MidiControllers
      project={project}
      devices={devices}
      asked={real}
      learnt={learnt}
      learning={learning}
      heard={heard}
      onAsk={() => setReal(true)}
      onLearn={learn}
      onForget={forget}
      onClose={close}
    />
  )
  const items = [
    {
      key: 'control',
      label: 'a control page, for a touch screen',
      onClick: () => void window.open(`/${project.id}/control`, 'pendolo-control', 'popup,width=900,height=700'),
    },
    { key: 'midi', label: 'MIDI controllers …', onClick: () => setAsking(true) },
  ]
  return { items, modal }
}

interface MidiProps extends Pick<StageProps, 'project'> {
  /** Names of what is plugged in; null where it must not be heard. */
  readonly devices: readonly string[] | null
  readonly asked: boolean
  readonly learnt: Readonly<Record<string, number>>
  readonly learning: number | null
  readonly heard: string | null
  readonly onAsk: () => void
  readonly onLearn: (index: number) => void
  readonly onForget: () => void
  readonly onClose: () => void
}

/** Which press of a MIDI controller means which angle, learnt by pressing. */
function MidiControllers({ project, devices, asked, learnt, learning, heard, onAsk, onLearn, onForget, onClose }: MidiProps) {
  const any = Object.keys(learnt).length > 0
  return (
    <Modal open title="Controllers" footer={null} onCancel={onClose} width={460}>
      <p className="quiet">
        {devices === null
          ? 'This browser does not let the page hear MIDI; allow it beside the address, or use the control page.'
          : devices.length > 0
            ? `Heard: ${devices.join(', ')}.`
            : 'No MIDI controller is heard yet. A pad or button that is pressed shows an angle as its key does.'}
      </p>
      {!asked && (
        <Button size="small" onClick={onAsk}>
          Hear MIDI controllers
        </Button>
      )}
      <ul className="learnt">
        {anglesInUse(project.doc).map((a, i) => (
          <li key={a.id}>
            <Bob index={i} hue={a.hue} size={18} /> <span>{a.name}</span>
            <span className="mono quiet">{Object.entries(learnt).find(([, index]) => index === i)?.[0] ?? (any ? 'nothing' : `note ${FIRST_NOTE + i}`)}</span>
            <Button size="small" type={learning === i ? 'primary' : 'default'} aria-label={`Learn the press for ${a.name}`} onClick={() => onLearn(i)}>
              {learning === i ? 'press it now' : 'learn'}
            </Button>
          </li>
        ))}
      </ul>
      <p className="quiet" role="status">
        {heard ? `last heard: ${heard}` : ''}
      </p>
      {any && (
        <Button size="small" onClick={onForget}>
          Forget what was learnt
        </Button>
      )}
    </Modal>
  )
}
