import type { ProjectState } from '@pendolo/api'
import type { Points } from '@pendolo/core/cut'
import { planFilm } from '@pendolo/core/film'
import { clockOf, marksOnMaster, type PictureSpan, projectRate, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, nearestFrameStart, printTimecode } from '@pendolo/core/time'
import { memo, useMemo, useRef, useState } from 'react'
import { filmFor } from '../playback/film.ts'
import { eventOf, leftOutOf, soundOnly } from '../playback/model.ts'
import { engine } from '../playback/use-engine.ts'
import { Bob } from '../ui/bob.tsx'
import { hueOf } from '../ui/theme.ts'
import { Overview } from './overview.tsx'
import { Playhead } from './playhead.tsx'
import { barLines, laneHeightFor, ticks } from './ruler.ts'
import { useSize, useTimeView } from './time-view.ts'
import { usePeaks, Waveform } from './waveform.tsx'

const LABELS = 150
const HEAD = 44
const WAVE = 62
const OVERVIEW = 34

export interface ScoreProps {
  readonly project: ProjectState
  readonly spans: readonly PictureSpan[]
  readonly points: Points
  readonly actions: {
    /** Where a dragged cut or the end of a painted stretch lands. */
    readonly snap: (time: Flicks) => Flicks
    readonly roll: (from: Flicks, to: Flicks) => unknown
    readonly paint: (angleId: string, from: Flicks, to: Flicks) => unknown
    readonly join: (time: Flicks) => unknown
  }
  readonly chosenAngle: string | null
  readonly zoomRef: { current: ((factor: number) => void) | null }
}

const seconds = (time: number) => time / FLICKS_PER_SECOND

/** The drawn time surface: master, one lane an angle, and the cut as one line stepping between them. */
export const Score = memo(function Score({ project, spans, points, actions, chosenAngle, zoomRef }: ScoreProps) {
  const { snap, roll: onRoll, paint: onPaint, join: onJoin } = actions
  const { doc } = project
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const recorded = useMemo(() => eventOf(project), [project])
  // A little paper is left behind the end.
  const whole = { from: seconds(recorded.start), span: Math.max(1, seconds(recorded.end - recorded.start) * 1.02) }
  const { view, zoom, move, show } = useTimeView(whole, 24)
  const [drag, setDrag] = useState<{ from: Flicks; to: Flicks } | null>(null)
  const [stroke, setStroke] = useState<{ lane: number; from: number; to: number } | null>(null)
  const pressed = useRef<{ x: number; lane: number } | null>(null)
  const rate = projectRate(doc.settings)
  const master = project.files.find((f) => f.id === doc.clips[clockOf(doc) ?? '']?.fileId)
  const peaks = usePeaks(master?.contentKey ?? null, master?.ready.peaks ?? false)
  zoomRef.current = (factor) => zoom(factor, seconds(engine.now()))

  const plotWidth = Math.max(10, width - LABELS)
  const lanesTop = HEAD + WAVE
  const laneHeight = laneHeightFor(height - lanesTop - OVERVIEW - 8, doc.angles.length)
  const head = Math.min(5.6, laneHeight / 2)
  const labelHeight = Math.min(20, laneHeight - 1)
  const lanesBottom = lanesTop + laneHeight * doc.angles.length
  const x = (t: number) => LABELS + ((t - view.from) / view.span) * plotWidth
  const timeAt = (px: number) => view.from + ((px - LABELS) / plotWidth) * view.span
  const laneY = (i: number) => lanesTop + i * laneHeight
  const laneOf = useMemo(() => new Map(doc.angles.map((a, i) => [a.id, i])), [doc.angles])

  const shownPoints = useMemo(
    () => (drag ? points.map((p) => (p.time === drag.from ? { ...p, time: drag.to } : p)).sort((a, b) => a.time - b.time) : points),
    [points, drag],
  )
  const plan = useMemo(
    () =>
      planFilm(shownPoints, { spans, order: doc.angles.map((a) => a.id), standIn: doc.settings.standIn }, recorded.start, recorded.end).filter(
        (s) => s.wanted !== null,
      ),
    [shownPoints, spans, doc.angles, recorded, doc.settings.standIn],
  )
  const inView = (a: number, b: number) => b > view.from && a < view.from + view.span
  const label = (t: Flicks) => printTimecode(t, { rate, dropFrame: doc.settings.dropFrame }, doc.settings.startFrame)

  const local = (event: React.PointerEvent | PointerEvent) => {
    const box = ref.current?.getBoundingClientRect()
    return { px: event.clientX - (box?.left ?? 0), py: event.clientY - (box?.top ?? 0) }
  }
  const at = (px: number) => flicks(Math.max(recorded.start, Math.round(timeAt(px) * FLICKS_PER_SECOND)))
  const down = (event: React.PointerEvent) => {
    const { px, py } = local(event)
    if (px < LABELS || event.button !== 0) return
    const lane = Math.floor((py - lanesTop) / laneHeight)
    if (py < lanesTop || lane >= doc.angles.length) {
      engine.seek(nearestFrameStart(at(px), rate))
      pressed.current = null
      if (py < lanesTop) scrub()
      return
    }
    pressed.current = { x: px, lane }
    const follow = (e: PointerEvent) => {
      const start = pressed.current
      if (!start) return
      const { px: now } = local(e)
      if (Math.abs(now - start.x) > 4) setStroke({ lane: start.lane, from: Math.min(start.x, now), to: Math.max(start.x, now) })
    }
    const up = (e: PointerEvent) => {
      window.removeEventListener('pointermove', follow)
      window.removeEventListener('pointerup', up)
      const start = pressed.current
      pressed.current = null
      setStroke(null)
      if (!start) return
      const { px: now } = local(e)
      if (Math.abs(now - start.x) <= 4) {
        engine.seek(nearestFrameStart(at(now), rate))
        return
      }
      const from = snap(at(Math.min(start.x, now)))
      const to = snap(at(Math.max(start.x, now)))
      if (to > from) onPaint(doc.angles[start.lane].id, from, to)
    }
    window.addEventListener('pointermove', follow)
    window.addEventListener('pointerup', up)
  }
  /** Dragging over the master's waveform moves the playhead along. */
  const scrub = () => {
    const follow = (e: PointerEvent) => engine.seek(nearestFrameStart(at(local(e).px), rate))
    const up = () => {
      window.removeEventListener('pointermove', follow)
      window.removeEventListener('pointerup', up)
    }
    window.addEventListener('pointermove', follow)
    window.addEventListener('pointerup', up)
  }
  const grab = (event: React.PointerEvent, time: Flicks) => {
    event.stopPropagation()
    event.preventDefault()
    let target = time
    const follow = (e: PointerEvent) => {
      target = snap(at(local(e).px))
      setDrag({ from: time, to: target })
    }
    const up = () => {
      window.removeEventListener('pointermove', follow)
      window.removeEventListener('pointerup', up)
      setDrag(null)
      if (target !== time) onRoll(time, target)
    }
    window.addEventListener('pointermove', follow)
    window.addEventListener('pointerup', up)
  }
  const wheel = (event: React.WheelEvent) => {
    const { px } = local(event as unknown as React.PointerEvent)
    if (event.ctrlKey || event.metaKey || Math.abs(event.deltaY) > Math.abs(event.deltaX)) {
      if (event.shiftKey) move((event.deltaY / plotWidth) * view.span)
      else zoom(Math.exp(event.deltaY * 0.0015), timeAt(px))
    } else move((event.deltaX / plotWidth) * view.span)
  }

  const lines = barLines(pulseOf(doc), view.from, view.span, plotWidth)
  const leftOut = leftOutOf(filmFor(project), recorded)

  return (
    <div className="score" ref={ref} style={{ flex: 1, minHeight: 0 }}>
      <svg width={width} height={height} onPointerDown={down} onWheel={wheel} role="group" aria-label="Score">
        <title>Score</title>
        <defs>
          <pattern id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <line x1="0" y1="0" x2="0" y2="6" stroke="var(--ink)" strokeOpacity="0.26" strokeWidth="1.2" />
          </pattern>
          <clipPath id="plot">
            <rect x={LABELS} y="0" width={plotWidth} height={height} />
          </clipPath>
        </defs>
        <rect x="0" y="0" width={LABELS} height={height} fill="var(--paper-side)" />
        <g clipPath="url(#plot)">
          {lines.length === 0
            ? ticks(view.from, view.span, plotWidth).map((t) => (
                <g key={t}>
                  <line x1={x(t)} x2={x(t)} y1={22} y2={lanesBottom} stroke="var(--ink-line)" />
                  <text className="mono" x={x(t) + 3} y={16} fontSize="11" fill="var(--ink-quiet)">
                    {label(flicks(Math.round(t * FLICKS_PER_SECOND)))}
                  </text>
                </g>
              ))
            : lines.map(({ seconds: t, bar }) => (
                <g key={t}>
                  <line x1={x(t)} x2={x(t)} y1={bar ? 22 : 34} y2={lanesBottom} stroke="var(--ink)" strokeOpacity={bar ? 0.3 : 0.11} />
                  {bar && (
                    <text className="mono" x={x(t) + 3} y={16} fontSize="11" fill="var(--ink-quiet)">
                      {bar}
                    </text>
                  )}
                </g>
              ))}
          {doc.angles.map((angle, i) => (
            <Lane
              key={angle.id}
              y={laneY(i)}
              height={laneHeight}
              hue={angle.hue}
              width={plotWidth}
              left={LABELS}
              spans={spans
                .filter((s) => s.angleId === angle.id && inView(seconds(s.start), seconds(s.end)))
                .map((s) => [x(seconds(s.start)), x(seconds(s.end))])}
              empty={spans.some((s) => s.angleId === angle.id) ? null : soundOnly(project, angle.id) ? 'sound only' : 'not lined up yet'}
            />
          ))}
          {stroke && (
            <rect
              x={stroke.from}
              width={stroke.to - stroke.from}
              y={laneY(stroke.lane) + 3}
              height={laneHeight - 6}
              fill={hueOf(doc.angles[stroke.lane].hue)}
              opacity="0.5"
            />
          )}
          <CutLine
            plan={plan.filter((s) => inView(seconds(s.start), seconds(s.end)))}
            x={(t) => x(seconds(t))}
            y={(angleId) => laneY(laneOf.get(angleId) ?? 0) + laneHeight / 2}
            hue={(angleId) => hueOf(doc.angles[laneOf.get(angleId) ?? 0]?.hue ?? 0)}
            thick={Math.min(7, laneHeight / 4)}
          />
          {marksOnMaster(doc)
            .filter((m) => inView(seconds(m.time) - view.span * 0.2, seconds(m.time)))
            .map((m) => {
              const px = x(seconds(m.time))
              const w = m.name.length * 6.6 + 12
              return (
                <g key={m.id}>
                  <line x1={px} x2={px} y1={24} y2={lanesBottom} stroke={hueOf(m.hue)} strokeDasharray="2 3" />
                  <rect x={px} y={23} width={w} height={16} fill={hueOf(m.hue)} rx="1.5" />
                  <text x={px + 5} y={35} fontSize="11" fill="#fff">
                    {m.name}
                  </text>
                </g>
              )
            })}
          {shownPoints.map((p) => {
            const t = seconds(p.time)
            const lane = laneOf.get(p.angleId)
            if (lane === undefined || !inView(t - 0.2, t + 0.2)) return null
            const [px, py] = [x(t), laneY(lane) + laneHeight / 2]
            const name = doc.angles[lane].name
            return (
              <ellipse
                key={p.time}
                className="note-head"
                role="button"
                tabIndex={0}
                aria-label={`cut to ${name} at ${label(p.time)}`}
                cx={px}
                cy={py}
                rx={head * 1.29}
                ry={head}
                transform={`rotate(-18 ${px} ${py})`}
                fill="var(--ink)"
                onPointerDown={(e) => grab(e, drag && drag.to === p.time ? drag.from : p.time)}
                onDoubleClick={() => onJoin(p.time)}
                onKeyDown={(e) => {
                  if (e.key === 'Delete') onJoin(p.time)
                  if (e.key === 'Enter') engine.seek(p.time)
                }}
              />
            )
          })}
          {leftOut.map(({ start, end }) => (
            <Outside
              key={start}
              from={Math.max(LABELS, x(seconds(start)))}
              to={Math.min(width, end >= recorded.end ? width : x(seconds(end)))}
              height={lanesBottom - HEAD}
            />
          ))}
        </g>
        <text x="12" y={16} fontSize="11.5" fill="var(--ink-quiet)">
          {doc.pulse && doc.pulse.tempoBpm > 0 ? `♩ = ${doc.pulse.tempoBpm.toFixed(1)}` : ''}
        </text>
        <text x="12" y={HEAD + WAVE / 2 + 4} fontSize="12.5" fontWeight="600" fill="var(--ink)">
          Master
        </text>
        {doc.angles.map((angle, i) => (
          <g key={angle.id}>
            <line x1="0" x2={width} y1={laneY(i) + laneHeight} y2={laneY(i) + laneHeight} stroke="var(--ink-line)" />
            <foreignObject x="8" y={laneY(i) + (laneHeight - labelHeight) / 2} width={LABELS - 12} height={labelHeight}>
              <div
                style={{
                  display: 'flex',
                  gap: 7,
                  alignItems: 'center',
                  height: labelHeight,
                  fontSize: Math.min(12.5, labelHeight - 2.5),
                  lineHeight: 1,
                  color: 'var(--ink)',
                  whiteSpace: 'nowrap',
                  overflow: 'hidden',
                }}
              >
                <Bob index={i} hue={angle.hue} lit={angle.id === chosenAngle} size={labelHeight} />
                {angle.name}
              </div>
            </foreignObject>
          </g>
        ))}
      </svg>
      <Waveform
        peaks={peaks}
        from={view.from}
        to={view.from + view.span}
        style={{ left: LABELS, top: HEAD, width: plotWidth, height: WAVE - 6 }}
        aria-hidden="true"
      />
      <Playhead view={view} left={LABELS} width={plotWidth} height={lanesBottom} />
      <Overview
        plan={plan}
        laneOf={laneOf}
        lanes={doc.angles.length}
        hues={doc.angles.map((a) => a.hue)}
        whole={whole}
        view={view}
        left={LABELS}
        width={plotWidth}
        height={OVERVIEW}
        onShow={show}
      />
    </div>
  )
})

/** What the film leaves out before its beginning and after its end. */
function Outside({ from, to, height }: { from: number; to: number; height: number }) {
  if (to <= from) return null
  return (
    <g>
      <rect x={from} y={HEAD} width={to - from} height={height} fill="var(--paper-deep)" opacity="0.72" />
      {to - from > 100 && (
        <text x={from + 10} y={HEAD + 18} fontSize="11.5" fill="var(--ink-quiet)">
          not in the film
        </text>
      )}
    </g>
  )
}

function Lane({
  y,
  height,
  hue,
  width,
  left,
  spans,
  empty,
}: {
  y: number
  height: number
  hue: number
  width: number
  left: number
  spans: [number, number][]
  empty: string | null
}) {
  const pad = Math.min(6, height / 4)
  const holes: [number, number][] = []
  let at = left
  for (const [a, b] of [...spans].sort((p, q) => p[0] - q[0])) {
    if (a > at) holes.push([at, a])
    at = Math.max(at, b)
  }
  if (at < left + width) holes.push([at, left + width])
  return (
    <g>
      {empty === null ? (
        holes.map(([a, b]) => <rect key={a} x={a} y={y + pad / 2} width={Math.max(0, b - a)} height={height - pad} fill="url(#hatch)" />)
      ) : (
        <text x={left + 10} y={y + height / 2 + 4} fontSize={Math.min(11.5, height - 2)} fill="var(--ink-quiet)">
          {empty}
        </text>
      )}
      {spans.map(([a, b]) => (
        <rect key={a} x={a} y={y + pad} width={Math.max(1, b - a)} height={height - 2 * pad} rx="2" fill={hueOf(hue)} opacity="0.17" />
      ))}
    </g>
  )
}

type Plan = ReturnType<typeof planFilm>

function CutLine({
  plan,
  x,
  y,
  hue,
  thick,
}: {
  plan: Plan
  x: (t: Flicks) => number
  y: (angleId: string) => number
  hue: (angleId: string) => string
  thick: number
}) {
  return (
    <g>
      {plan.map((s, i) => {
        const before = plan[i - 1]
        const shown = s.angleId ?? s.wanted
        const from = before && (before.angleId ?? before.wanted)
        return (
          <g key={s.start}>
            {from && shown && before.end === s.start && from !== shown && (
              <line x1={x(s.start)} x2={x(s.start)} y1={y(from)} y2={y(shown)} stroke="var(--ink)" strokeWidth="1.6" />
            )}
            {shown && (
              <line
                x1={x(s.start)}
                x2={x(s.end)}
                y1={y(shown)}
                y2={y(shown)}
                stroke={s.angleId ? hue(shown) : 'var(--ink)'}
                strokeWidth={thick}
                strokeDasharray={s.standIn ? '5 4' : undefined}
              />
            )}
          </g>
        )
      })}
    </g>
  )
}
