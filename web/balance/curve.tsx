import { type Band, bandSection, highPassSections, responseAt } from '@pendolo/core/mix'
import type { Strip } from '@pendolo/core/project'
import { useDrag } from '@use-gesture/react'
import { useRef } from 'react'
import { newId } from '../ids.ts'

const RATE = 48000
const [LOW, HIGH] = [20, 20_000]
const SPAN_DB = 18
const [WIDTH, HEIGHT] = [300, 96]
const xOf = (hz: number) => (WIDTH * Math.log(hz / LOW)) / Math.log(HIGH / LOW)
const hzAt = (x: number) => LOW * (HIGH / LOW) ** (x / WIDTH)
const yOf = (decibels: number) => (HEIGHT / 2) * (1 - decibels / SPAN_DB)
const STEPS = 120

/** What high-pass and bands do to each frequency; bands are dragged. */
export function Curve({
  strip,
  bands,
  onBand,
}: {
  strip: Strip
  bands: readonly Band[]
  onBand: (index: number, change: Partial<Band>, step: string) => void
}) {
  const ref = useRef<SVGSVGElement>(null)
  const drag = useRef<{ id: string; n: number }>({ id: '', n: 0 })
  const sections = [
    ...(strip.highPassHz ? highPassSections(strip.highPassHz, RATE) : []),
    ...bands.filter((b) => b.gainDb !== 0).map((b) => bandSection(b, RATE)),
  ]
  const line = Array.from({ length: STEPS + 1 }, (_, i) => {
    const x = (WIDTH * i) / STEPS
    const y = yOf(20 * Math.log10(Math.max(1e-4, responseAt(sections, hzAt(x), RATE))))
    return `${x.toFixed(1)},${Math.max(-4, Math.min(HEIGHT + 4, y)).toFixed(1)}`
  })
  const bind = useDrag(({ args: [index], xy: [px, py], first }) => {
    const box = ref.current?.getBoundingClientRect()
    if (!box) return
    if (first) drag.current = { id: newId(), n: 0 }
    const hz = Math.round(Math.max(LOW, Math.min(HIGH, hzAt(((px - box.left) / box.width) * WIDTH))))
    const gainDb = Math.round(2 * Math.max(-SPAN_DB, Math.min(SPAN_DB, SPAN_DB * (1 - (2 * (py - box.top)) / box.height)))) / 2
    onBand(index as number, { hz, gainDb }, `${drag.current.id}:${++drag.current.n}`)
  })
  return (
    <svg
      ref={ref}
      className="tone-curve"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      role="img"
      aria-label="What the equaliser does: decibels over frequency"
    >
      {[100, 1000, 10_000].map((hz) => (
        <line key={hz} x1={xOf(hz)} x2={xOf(hz)} y1={0} y2={HEIGHT} />
      ))}
      {[-12, 0, 12].map((decibels) => (
        <line key={decibels} x1={0} x2={WIDTH} y1={yOf(decibels)} y2={yOf(decibels)} />
      ))}
      <polyline points={line.join(' ')} />
      {bands.map((b, i) => (
        <circle key={i} {...bind(i)} data-own-gestures cx={xOf(b.hz)} cy={yOf(b.gainDb)} r={6} className={b.gainDb === 0 ? 'flat' : ''} />
      ))}
    </svg>
  )
}
