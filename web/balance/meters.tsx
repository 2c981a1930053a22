import { useEffect, useRef } from 'react'
import { engine } from '../playback/use-engine.ts'

/** Levels that a meter shows, dBFS. */
const [LEAST, MOST] = [-54, 0]
const share = (level: number) => Math.max(0, Math.min(1, (20 * Math.log10(Math.max(level, 1e-6)) - LEAST) / (MOST - LEAST)))
/** A peak is held so long, ms. */
const HOLD = 1200

/** How loud a strip and the programme are now: the bar is the mean, the line the highest, above it what the compressor takes away. They move by themselves, without React. */
export function Meters({ of }: { of: string }) {
  const ref = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const held = new Map<string, { peak: number; at: number }>()
    let shown = ''
    const timer = setInterval(() => {
      const meters = engine.meters()
      const told = [of, ''].map((key) => {
        const { peak = 0, rms = 0, reductionDb = 0 } = engine.getState().playing ? (meters.get(key) ?? {}) : {}
        const last = held.get(key)
        const now = performance.now()
        if (!last || peak >= last.peak || now - last.at > HOLD) held.set(key, { peak, at: now })
        return [share(rms), share(held.get(key)?.peak ?? 0), Math.min(1, reductionDb / 24)].map((x) => x.toFixed(3))
      })
      if (JSON.stringify(told) === shown) return
      shown = JSON.stringify(told)
      for (const [i, meter] of [...(ref.current?.querySelectorAll<HTMLElement>('.meter') ?? [])].entries())
        for (const [k, name] of ['--mean', '--peak', '--less'].entries()) meter.style.setProperty(name, told[i][k])
    }, 50)
    return () => clearInterval(timer)
  }, [of])
  return (
    <div ref={ref} className="meters" aria-hidden="true">
      {['strip', 'all'].map((name) => (
        <div className="meter" key={name}>
          <i className="less" />
          <i className="mean" />
          <i className="peak" />
          <span className="quiet">{name}</span>
        </div>
      ))}
    </div>
  )
}
