import type { Mark, Pulse } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks, printLength } from '@pendolo/core/time'
import { useRef } from 'react'
import { engine } from '../playback/use-engine.ts'
import { useEveryFrame, useSize } from '../score/time-view.ts'
import { type Peaks, Waveform } from '../score/waveform.tsx'
import { hueOf } from '../ui/theme.ts'

const LEFT = 44
const RIGHT = 14
/** Seconds on a line when there is no pulse to break lines at. */
const LINE_SECONDS = 16
const BARS_A_LINE = 8

interface Line {
  readonly from: number
  readonly to: number
  readonly bar: number | null
}

/** Lines of about the same length that begin with a bar where there are bars. */
function breakLines(pulse: Pulse | null, total: number): Line[] {
  const out: Line[] = []
  const downs = pulse ? pulse.downbeats.map((i) => pulse.beats[i] / FLICKS_PER_SECOND) : []
  let at = 0
  let d = 0
  while (at < total && out.length < 4000) {
    while (d < downs.length && downs[d] <= at + 0.01) d++
    const onBar = d > 0 && Math.abs(downs[d - 1] - at) < 0.01
    const target = onBar ? downs[d - 1 + BARS_A_LINE] : downs[d]
    let to = target !== undefined && target - at < LINE_SECONDS * 1.6 ? target : at + LINE_SECONDS
    const next = downs[d]
    if (!onBar && next !== undefined && to > next && next - at > 2) to = next
    out.push({ from: at, to: Math.min(to, total), bar: onBar ? d : null })
    at = to
  }
  return out
}

/** The master laid out in lines, like printed music, with bars, beats, tempo and marks. */
export function SheetLines({ pulse, marks, peaks, total }: { pulse: Pulse | null; marks: readonly Mark[]; peaks: Peaks | null; total: number }) {
  const [ref, { width }] = useSize<HTMLDivElement>()
  const lines = breakLines(pulse, total)
  return (
    <div className="lines" ref={ref}>
      {width > 0 &&
        lines.map((line) => (
          <SheetLine
            key={line.from}
            line={line}
            width={width - 34}
            pulse={pulse}
            marks={marks.filter((m) => m.time / FLICKS_PER_SECOND >= line.from && m.time / FLICKS_PER_SECOND < line.to)}
            peaks={peaks}
          />
        ))}
    </div>
  )
}

function SheetLine({ line, width, pulse, marks, peaks }: { line: Line; width: number; pulse: Pulse | null; marks: readonly Mark[]; peaks: Peaks | null }) {
  const head = useRef<HTMLDivElement>(null)
  const plot = width - LEFT - RIGHT
  // Every line has the same scale unless it is longer than usual; a short one ends early, like a last line of print.
  const span = Math.max(line.to - line.from, LINE_SECONDS)
  const x = (t: number) => LEFT + ((t - line.from) / span) * plot
  const down = new Set(pulse?.downbeats)
  const beats = (pulse?.beats ?? [])
    .map((b, i) => ({ t: b / FLICKS_PER_SECOND, bar: down.has(i) }))
    .filter((b) => b.t >= line.from - 1e-6 && b.t < line.to - 1e-6)
  const tempo = beats.length > 3 ? (60 * (beats.length - 1)) / (beats[beats.length - 1].t - beats[0].t) : null
  useEveryFrame((now) => {
    if (!head.current) return
    const here = now >= line.from && now < line.to
    head.current.style.visibility = here ? 'visible' : 'hidden'
    if (here) head.current.style.transform = `translateX(${x(now)}px)`
  })
  const seek = (event: React.PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect()
    const t = line.from + ((event.clientX - box.left - LEFT) / plot) * span
    engine.seek(flicks(Math.round(Math.max(line.from, Math.min(line.to - 0.001, t)) * FLICKS_PER_SECOND)))
  }
  return (
    <div style={{ position: 'relative', height: 104, width }} onPointerDown={seek}>
      <Waveform
        peaks={peaks}
        from={line.from}
        to={line.to}
        style={{ position: 'absolute', left: LEFT, top: 20, width: x(line.to) - LEFT, height: 56 }}
        aria-hidden="true"
      />
      <svg
        width={width}
        height={104}
        style={{ position: 'absolute', inset: 0 }}
        role="img"
        aria-label={`from ${printLength(line.from)} to ${printLength(line.to)}, ${beats.length} beats`}
      >
        <text x={4} y={52} fontSize="13" fill="var(--ink)" style={{ fontFamily: 'var(--serif)' }}>
          {line.bar ?? printLength(line.from)}
        </text>
        {beats.map((b) => (
          <line
            key={b.t}
            x1={x(b.t)}
            x2={x(b.t)}
            y1={b.bar ? 18 : 78}
            y2={b.bar ? 86 : 86}
            stroke="var(--ink)"
            strokeWidth={b.bar ? 1.4 : 1}
            strokeOpacity={b.bar ? 0.85 : 0.6}
          />
        ))}
        {tempo !== null && (
          <text x={Math.max(LEFT, x(line.to) - 52)} y={99} fontSize="11" fill="var(--ink-quiet)">
            ♩ {tempo.toFixed(1)}
          </text>
        )}
        {beats.length === 0 && pulse && (
          <text x={LEFT} y={99} fontSize="11" fill="var(--ink-quiet)">
            no pulse here
          </text>
        )}
        {marks.map((m) => {
          const px = x(m.time / FLICKS_PER_SECOND)
          return (
            <g key={m.id}>
              <line x1={px} x2={px} y1={4} y2={88} stroke={hueOf(m.hue)} strokeWidth="1.6" />
              <rect x={px} y={2} width={m.name.length * 6.6 + 12} height={16} fill={hueOf(m.hue)} rx="1.5" />
              <text x={px + 5} y={14} fontSize="11" fill="#fff">
                {m.name}
              </text>
            </g>
          )
        })}
      </svg>
      <div ref={head} className="playhead" style={{ height: 90 }} />
    </div>
  )
}
