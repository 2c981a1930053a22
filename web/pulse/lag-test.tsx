import { measureLag } from '@pendolo/core/grid'
import { Button, Progress } from 'antd'
import { useCallback, useEffect, useRef, useState } from 'react'
import { heardAt } from '../playback/heard.ts'
import { engine } from '../playback/use-engine.ts'

const BEAT = 0.6
const BEATS = 34

/** Twenty seconds of clicks to press along with; tells how late this person presses at this device. */
export function LagTest({ onDone }: { onDone: (ms: number) => void }) {
  const [state, setState] = useState<'ready' | 'running' | 'done'>('ready')
  const [pressed, setPressed] = useState(0)
  const [result, setResult] = useState('')
  const run = useRef<{ context: AudioContext; first: number; presses: number[] } | null>(null)

  const stop = useCallback(() => {
    const { current } = run
    run.current = null
    void current?.context.close()
    return current
  }, [])
  const finish = useCallback(() => {
    const ended = stop()
    if (!ended) return
    const lag = measureLag(
      Array.from({ length: BEATS }, (_, i) => ended.first + i * BEAT),
      ended.presses,
    )
    setState('done')
    if (!lag) {
      setResult('Too few presses could be matched to clicks; try again, one press on each click.')
      return
    }
    setResult(
      `You press ${Math.abs(Math.round(lag.seconds * 1000))} ms ${lag.seconds < 0 ? 'early' : 'late'}, give or take ${Math.round(lag.spread * 1000)} ms.`,
    )
    onDone(Math.round(lag.seconds * 1000))
  }, [onDone, stop])
  useEffect(() => () => void stop(), [stop])
  useEffect(() => {
    if (state !== 'running') return
    const press = (event: KeyboardEvent) => {
      if (event.repeat || event.key === 'Escape' || event.key === 'Tab') return
      event.preventDefault()
      event.stopPropagation()
      const { current } = run
      if (!current) return
      current.presses.push(heardAt(current.context, event.timeStamp))
      setPressed(current.presses.length)
    }
    window.addEventListener('keydown', press, true)
    const timer = setTimeout(finish, (BEATS * BEAT + 0.6) * 1000)
    return () => {
      window.removeEventListener('keydown', press, true)
      clearTimeout(timer)
    }
  }, [state, finish])

  const start = async () => {
    engine.stop()
    stop()
    const context = new AudioContext({ latencyHint: 'interactive' })
    await context.resume()
    const first = context.currentTime + 0.6
    for (let i = 0; i < BEATS; i++) {
      const tone = context.createOscillator()
      const gain = context.createGain()
      const at = first + i * BEAT
      tone.frequency.value = i % 4 === 0 ? 1760 : 1175
      gain.gain.setValueAtTime(0, at)
      gain.gain.linearRampToValueAtTime(0.5, at + 0.001)
      gain.gain.exponentialRampToValueAtTime(0.001, at + 0.05)
      tone.connect(gain).connect(context.destination)
      tone.start(at)
      tone.stop(at + 0.06)
    }
    run.current = { context, first, presses: [] }
    setPressed(0)
    setResult('')
    setState('running')
  }
  return (
    <div style={{ width: 290, display: 'grid', gap: 10 }}>
      {state === 'running' ? (
        <>
          <span>Press any key on every click, as you would cut.</span>
          <Progress percent={Math.min(100, Math.round((100 * pressed) / BEATS))} format={() => `${pressed} presses`} aria-label="Presses" />
          <Button size="small" onClick={finish}>
            That is enough
          </Button>
        </>
      ) : (
        <>
          <span>
            {result || 'Twenty seconds of clicks: press any key on each. Your usual lateness is then taken off every tap and every cut made while playing.'}
          </span>
          <Button type="primary" size="small" onClick={() => void start()}>
            {state === 'done' ? 'Once more' : 'Start the clicks'}
          </Button>
        </>
      )}
    </div>
  )
}
