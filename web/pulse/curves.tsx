import type { Pulse } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks, printLength } from '@pendolo/core/time'
import { Area, ComposedChart, Line, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts'
import { engine } from '../playback/use-engine.ts'
import { tempoPoints } from './layout.ts'

/** Tempo curve with how sure the beats are; a click goes there. */
export function TempoCurve({ pulse, total }: { pulse: Pulse; total: number }) {
  const points = tempoPoints(pulse, total)
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
