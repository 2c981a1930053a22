import type { Pulse } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks, printLength } from '@pendolo/core/time'
import { Area, ComposedChart, Line, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import { engine } from '../playback/use-engine.ts'

const MOST_POINTS = 400
const AROUND = 4

interface Point {
  readonly t: number
  readonly bpm: number | null
  readonly sure: number
}

/** Tempo and sureness over the recording, thinned to what a small chart can show. */
function pointsOf(pulse: Pulse, total: number): Point[] {
  const beats = pulse.beats.map((b) => b / FLICKS_PER_SECOND)
  const step = Math.max(0.5, total / MOST_POINTS)
  const out: Point[] = []
  let i = 0
  for (let t = 0; t < total; t += step) {
    while (i < beats.length && beats[i] < t) i++
    const near = beats.slice(Math.max(0, i - AROUND), i + AROUND)
    const distances = near
      .slice(1)
      .map((b, k) => b - near[k])
      .sort((a, b) => a - b)
    const distance = distances[distances.length >> 1]
    const inside = near.length > 3 && near[0] <= t + distance && near[near.length - 1] >= t - distance
    const sure = pulse.clarity?.[Math.round(t / (pulse.clarityStep ?? 0.5))] ?? 0
    out.push({ t, bpm: inside && distance > 0 ? Math.round(600 / distance) / 10 : null, sure: Math.round(100 * sure) })
  }
  return out
}

/** Tempo curve with how sure the beats are; a click goes there. */
export function TempoCurve({ pulse, total }: { pulse: Pulse; total: number }) {
  const points = pointsOf(pulse, total)
  return (
    <figure
      className="tempo-curve"
      aria-label={`Tempo over the recording, about ${pulse.tempoBpm.toFixed(1)} beats a minute, sure to ${Math.round(100 * pulse.confidence)} %`}
    >
      <figcaption className="quiet">tempo, beats a minute · how sure, %</figcaption>
      <ResponsiveContainer width="100%" height={110}>
        <ComposedChart
          data={points}
          margin={{ top: 4, right: 0, bottom: 0, left: -18 }}
          onClick={(e) => {
            if (e.activeLabel !== undefined) engine.seek(flicks(Math.round(Number(e.activeLabel) * FLICKS_PER_SECOND)))
          }}
        >
          <XAxis dataKey="t" type="number" domain={[0, total]} tickFormatter={(t: number) => printLength(t)} tick={{ fontSize: 10 }} tickCount={4} />
          <YAxis
            yAxisId="bpm"
            domain={['dataMin - 5', 'dataMax + 5']}
            tickFormatter={(v: number) => String(Math.round(v))}
            tick={{ fontSize: 10 }}
            width={48}
          />
          <YAxis yAxisId="sure" orientation="right" domain={[0, 100]} tick={{ fontSize: 10 }} width={30} />
          <Tooltip labelFormatter={(t) => printLength(Number(t))} formatter={(v, n) => [n === 'bpm' ? `♩ ${v}` : `${v} %`, n === 'bpm' ? 'tempo' : 'sure']} />
          <Area yAxisId="sure" dataKey="sure" stroke="none" fill="var(--brass)" fillOpacity={0.22} isAnimationActive={false} />
          <Line yAxisId="bpm" dataKey="bpm" stroke="currentColor" strokeWidth={1.4} dot={false} isAnimationActive={false} />
        </ComposedChart>
      </ResponsiveContainer>
    </figure>
  )
}
