import { type GatheredFile, type ProjectState, whyText } from '@pendolo/api'
import { thinStretches } from '@pendolo/core/lineup'
import { anglesInUse, type Clip, clockOf, type Method } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, printLength } from '@pendolo/core/time'
import { Button } from 'antd'
import { Minus, Plus } from 'lucide-react'
import { type KeyboardEvent, useMemo, useRef, useState } from 'react'
import { masterEnd } from '../playback/model.ts'
import { engine } from '../playback/use-engine.ts'
import { levelFor } from '../score/peaks.ts'
import { Playhead } from '../score/playhead.tsx'
import { ticks } from '../score/ruler.ts'
import { useSize } from '../score/time-view.ts'
import { useEventView } from '../score/use-event-view.ts'
import { useMasterWaves, usePeaks, Waveforms } from '../score/waveform.tsx'
import { Bob } from '../ui/bob.tsx'
import { ENTER_IS_THE_STAGES } from '../ui/focus.ts'
import { hueOf } from '../ui/theme.ts'
import type { VerdictFilter } from './lineup-top.tsx'

const LABELS = 150
const HEAD = 24
const WAVE = 52
/** Height of a lane, closer together where many cameras want to be seen at once. */
const ROW = 32
const TIGHT_ROW = 23
const MANY_ANGLES = 9
const BAR = 20

/** Ways other than sound are said on the bar. */
const METHOD_TEXT: Partial<Record<Method, string>> = {
  timecode: 'by timecode',
  light: 'by light',
  through: 'through others',
  time: 'by its clock',
  'first-frame': 'by first frame',
  points: 'by points',
  mark: 'by mark',
  exchange: 'from an exchange file',
  hand: 'by hand',
}

interface Bar {
  clip: Clip
  file: GatheredFile
  from: number
  to: number
  lane: number
}

/** Which camera ran when, on the master's time; what has no place waits in the tray below. */
export function Coverage({
  project,
  clips,
  filter,
  chosenIds,
  onChoose,
  onSlide,
}: {
  project: ProjectState
  clips: Clip[]
  filter: VerdictFilter
  chosenIds: readonly string[]
  onChoose: (id: string, more: boolean) => void
  /** A clip was slid by hand. */
  onSlide: (id: string, by: Flicks) => void
}) {
  const { doc, files } = project
  const [ref, { width }] = useSize<HTMLDivElement>()
  const byId = useMemo(() => new Map(files.map((f) => [f.id, f])), [files])
  const waves = useMasterWaves(project)
  const total = masterEnd(project) / FLICKS_PER_SECOND
  const { bars, rows, row, inset, height } = layOutBars(project, clips)
  const first = Math.min(0, ...bars.map((b) => b.from))
  const last = Math.max(total, ...bars.map((b) => b.to))
  const pad = (last - first) * 0.015
  const plot = Math.max(10, width - LABELS)
  const looking = useEventView(ref, { from: first - pad, span: last - first + 2 * pad }, { left: LABELS, plot, head: HEAD + WAVE })
  const { view } = looking
  const x = (t: number) => LABELS + ((t - view.from) / view.span) * plot
  const waiting = clips.filter((c) => !bars.some((b) => b.clip.id === c.id))
  const shows = (id: string) => filter === 'all' || (doc.placements[id]?.verdict ?? 'loose') === filter
  const seek = (event: React.PointerEvent<SVGElement>) => {
    const box = ref.current?.getBoundingClientRect()
    const t = view.from + ((event.clientX - (box?.left ?? 0) - LABELS) / plot) * view.span
    engine.seek(flicks(Math.round(t * FLICKS_PER_SECOND)))
  }
  return (
    <div ref={ref} style={{ position: 'relative', minHeight: '100%', display: 'flex', flexDirection: 'column' }}>
      <div style={{ position: 'relative', flex: 1 }}>
        <svg width={width} height={height} role="group" aria-label="Coverage">
          <title>Coverage</title>
          <rect x="0" y="0" width={LABELS} height={height} fill="var(--paper-side)" />
          <clipPath id="coverage-plot">
            <rect x={LABELS} y="0" width={plot} height={height} />
          </clipPath>
          {ticks(Math.max(0, view.from), view.span, plot).map((t) => (
            <g key={t}>
              <line x1={x(t)} x2={x(t)} y1={HEAD} y2={height} stroke="var(--ink-line)" />
              <text className="mono" x={x(t) + 3} y={16} fontSize="11" fill="var(--ink-quiet)">
                {printLength(t)}
              </text>
            </g>
          ))}
          <text x="12" y={HEAD + WAVE / 2 + 4} fontSize="12.5" fontWeight="600" fill="var(--ink)">
            Master · {masterName(project, byId)}
          </text>
          <rect x={LABELS} y="0" width={plot} height={HEAD + WAVE} fill="transparent" onPointerDown={seek} />
          <g clipPath="url(#coverage-plot)">
            <Thin bars={bars} total={total} x={x} />
          </g>
          {rows.map(({ angleId, top, lanes }) => {
            const i = anglesInUse(doc).findIndex((a) => a.id === angleId)
            const angle = anglesInUse(doc)[i]
            return (
              <g key={angleId}>
                <line x1="0" x2={width} y1={top + lanes * row} y2={top + lanes * row} stroke="var(--ink-line)" />
                <foreignObject x="8" y={top + inset} width={LABELS - 10} height="20">
                  <div style={{ display: 'flex', gap: 7, fontSize: 12.5, whiteSpace: 'nowrap', overflow: 'hidden', color: 'var(--ink)' }}>
                    <Bob index={i} hue={angle.hue} />
                    {angle.name}
                  </div>
                </foreignObject>
                <g clipPath="url(#coverage-plot)">
                  {bars
                    .filter((b) => b.clip.angleId === angleId && b.to >= view.from && b.from <= view.from + view.span)
                    .map((bar) => (
                      <ClipBar
                        key={bar.clip.id}
                        bar={bar}
                        x={x(bar.from)}
                        width={Math.max(6, x(bar.to) - x(bar.from))}
                        seen={{ from: Math.max(0, LABELS - x(bar.from)), to: Math.min(x(bar.to), LABELS + plot) - x(bar.from) }}
                        y={top + bar.lane * row + inset}
                        hue={hueOf(angle.hue)}
                        placement={doc.placements[bar.clip.id]}
                        chosen={chosenIds.includes(bar.clip.id)}
                        takes={lanes > 1 && bars.some((b) => b !== bar && b.clip.angleId === angleId && b.from < bar.to - 0.1 && b.to > bar.from + 0.1)}
                        pale={!shows(bar.clip.id)}
                        onChoose={(more) => onChoose(bar.clip.id, more)}
                        onSlide={(px) => onSlide(bar.clip.id, flicks(Math.round((px / plot) * view.span * FLICKS_PER_SECOND)))}
                      />
                    ))}
                </g>
              </g>
            )
          })}
        </svg>
        <Waveforms
          waves={waves}
          from={view.from}
          to={view.from + view.span}
          style={{ position: 'absolute', left: LABELS, top: HEAD, width: plot, height: WAVE - 6, pointerEvents: 'none' }}
          aria-hidden="true"
        />
        <Playhead view={view} left={LABELS} width={plot} height={height} />
        <fieldset className="coverage-zoom" aria-label="Zoom of the coverage">
          <Button size="small" icon={<Minus size={13} />} aria-label="Show more of the event" disabled={looking.isAll} onClick={() => looking.step(false)} />
          <Button size="small" icon={<Plus size={13} />} aria-label="Look closer at the playhead" onClick={() => looking.step(true)} />
          {!looking.isAll && (
            <Button size="small" onClick={looking.all}>
              all
            </Button>
          )}
        </fieldset>
      </div>
      <Tray project={project} waiting={waiting} chosenIds={chosenIds} onChoose={onChoose} />
    </div>
  )
}

/** A file that is the master, or how many are. */
function masterName({ doc }: ProjectState, byId: ReadonlyMap<string, GatheredFile>): string {
  const recordings = doc.master?.clipIds.length ?? 0
  return recordings > 1 ? `${recordings} recordings` : (byId.get(doc.clips[clockOf(doc) ?? '']?.fileId ?? '')?.name.slice(0, 12) ?? '')
}

const THIN_TEXT = ['no angle has a picture', 'only one angle has a picture'] as const

/** A line below the master over what no angle, or only one, has seen. */
function Thin({ bars, total, x }: { bars: readonly Bar[]; total: number; x: (seconds: number) => number }) {
  const runs = bars.flatMap((b) => (b.file.facts.video && b.clip.angleId ? [{ angleId: b.clip.angleId, from: b.from, to: b.to }] : []))
  if (runs.length === 0) return null
  return thinStretches(runs, 0, total).map((s) => (
    <rect key={s.from} x={x(s.from)} y={HEAD + WAVE - 5} width={Math.max(1, x(s.to) - x(s.from))} height="4" fill={s.angles === 0 ? '#c04a3c' : '#d39a2f'}>
      <title>{`${printLength(s.from)} to ${printLength(s.to)}: ${THIN_TEXT[s.angles]}`}</title>
    </rect>
  ))
}

/** Where each clip's bar stands: rows of angles, in them lanes for takes of one camera that lie on the same stretch. */
function layOutBars({ doc, files }: ProjectState, clips: readonly Clip[]) {
  const byId = new Map(files.map((f) => [f.id, f]))
  const bars = clips
    .filter((c) => doc.placements[c.id] && byId.has(c.fileId) && c.state === 'in')
    .map((c): Bar => {
      const file = byId.get(c.fileId) as GatheredFile
      const p = doc.placements[c.id]
      const from = p.start / FLICKS_PER_SECOND
      return { clip: c, file, from, to: from + file.facts.durationSeconds * p.rate, lane: 0 }
    })
    .sort((a, b) => a.from - b.from)
  // Takes of one camera that lie on the same stretch stand in lanes beside each other.
  const row = anglesInUse(doc).length > MANY_ANGLES ? TIGHT_ROW : ROW
  const inset = (row - BAR) / 2
  const rows: { angleId: string; lanes: number; top: number }[] = []
  let y = HEAD + WAVE
  // Stills need no place: an angle of nothing else has no row.
  const listed = new Set(clips.map((c) => c.angleId))
  for (const angle of anglesInUse(doc).filter((a) => listed.has(a.id))) {
    const ends: number[] = []
    for (const bar of bars.filter((b) => b.clip.angleId === angle.id)) {
      bar.lane = ends.findIndex((end) => end <= bar.from)
      if (bar.lane < 0) bar.lane = ends.push(0) - 1
      ends[bar.lane] = bar.to
    }
    const lanes = Math.max(1, ends.length)
    rows.push({ angleId: angle.id, lanes, top: y })
    y += lanes * row
  }
  return { bars, rows, row, inset, height: y + 4 }
}

/** Clips that have no place yet, and why. */
function Tray({
  project,
  waiting,
  chosenIds,
  onChoose,
}: {
  project: ProjectState
  waiting: readonly Clip[]
  chosenIds: readonly string[]
  onChoose: (id: string, more: boolean) => void
}) {
  const { doc, files } = project
  const nameOf = (fileId: string) => files.find((f) => f.id === fileId)?.name
  return (
    <div className="tray" role="group" aria-label="Waiting tray">
      <span style={{ width: LABELS - 22 }}>Waiting tray</span>
      {waiting.map((c) => (
        <button
          type="button"
          key={c.id}
          className="waiting"
          aria-pressed={chosenIds.includes(c.id)}
          onClick={(e) => onChoose(c.id, e.ctrlKey || e.metaKey || e.shiftKey)}
        >
          ○ {doc.angles.find((a) => a.id === c.angleId)?.name} <span className="mono">{nameOf(c.fileId)}</span> ·{' '}
          {c.state === 'parked' ? 'parked' : doc.loose[c.id] ? whyText(doc.loose[c.id]) : 'not tried yet'}
        </button>
      ))}
      {waiting.length === 0 && <span className="quiet">empty: every clip has its place</span>}
    </div>
  )
}

function ClipBar({
  bar,
  x,
  width,
  seen,
  y,
  hue,
  placement,
  chosen,
  pale,
  takes,
  onChoose,
  onSlide,
}: {
  bar: Bar
  x: number
  width: number
  /** What of it is in view, px from its left end. */
  seen: { from: number; to: number }
  y: number
  hue: string
  placement: ProjectState['doc']['placements'][string]
  chosen: boolean
  pale: boolean
  /** Another clip of the same camera lies on the same stretch. */
  takes: boolean
  onChoose: (more: boolean) => void
  /** @param px how far it was slid */
  onSlide: (px: number) => void
}) {
  const slide = useRef<number | null>(null)
  const [slid, setSlid] = useState(0)
  const drop = (keep: boolean) => {
    if (keep && slide.current !== null && slid !== 0) onSlide(slid)
    slide.current = null
    setSlid(0)
  }
  const peaks = usePeaks(bar.file.contentKey, bar.file.ready.peaks)
  const steps = Math.max(1, Math.floor(width / 4))
  // Only what is in view is drawn: looked at closely, a bar is many screens long.
  const [first, last] = [Math.max(0, Math.floor(seen.from / 4)), Math.min(steps, Math.ceil(seen.to / 4))]
  const path = useMemo(() => {
    if (!peaks) return ''
    let d = ''
    const { high: all } = levelFor(peaks, bar.file.facts.durationSeconds / steps)
    for (let s = first; s < last; s++) {
      const a = Math.floor((s / steps) * all.length)
      const b = Math.floor(((s + 1) / steps) * all.length)
      let high = 0
      for (let i = a; i < b; i++) high = Math.max(high, all[i])
      const h = Math.min(8.5, (high / peaks.loudest) * 8.5)
      d += `M${(s * 4 + 2).toFixed(0)} ${(10 - h).toFixed(1)}V${(10 + h).toFixed(1)}`
    }
    return d
  }, [peaks, steps, first, last, bar.file.facts.durationSeconds])
  const check = placement.verdict !== 'sure'
  const key = (event: KeyboardEvent) => {
    // Enter on a clip that is chosen already is left to the stage, which accepts it.
    if (event.key === ' ' || (event.key === 'Enter' && !chosen)) {
      event.preventDefault()
      event.stopPropagation()
      onChoose(event.ctrlKey || event.metaKey || event.shiftKey)
    }
  }
  return (
    <g
      className="clip-bar"
      role="button"
      tabIndex={0}
      aria-label={`${bar.file.name}, ${placement.verdict}${placement.locked ? ', locked' : ''}`}
      aria-pressed={chosen}
      transform={`translate(${x + slid} ${y})`}
      opacity={pale ? 0.25 : 1}
      onClick={(e) => !e.altKey && onChoose(e.ctrlKey || e.metaKey || e.shiftKey)}
      onPointerDown={(e) => {
        // Only with Alt: a clip that lies right must not be moved by a slip of the hand.
        if (!e.altKey || e.button !== 0) return
        e.currentTarget.setPointerCapture(e.pointerId)
        slide.current = e.clientX
        if (!chosen) onChoose(false)
      }}
      onPointerMove={(e) => slide.current !== null && !placement.locked && setSlid(e.clientX - slide.current)}
      onPointerUp={() => drop(true)}
      onPointerCancel={() => drop(false)}
      onKeyDown={key}
      {...ENTER_IS_THE_STAGES}
    >
      <rect
        className="body"
        width={width}
        height={BAR}
        rx="3"
        fill={hue}
        fillOpacity={check ? 0.14 : 0.34}
        stroke={chosen ? 'var(--ink)' : hue}
        strokeWidth={chosen ? 2.4 : check ? 2 : 1}
        strokeDasharray={check ? '4 3' : undefined}
      />
      <path d={path} stroke="var(--ink)" strokeOpacity="0.32" />
      <circle cx={seen.from + 11} cy="10" r="5" fill={check ? 'var(--paper)' : 'var(--ink)'} stroke="var(--ink)" strokeWidth="1.5" />
      {check && <path d={`M${seen.from + 11} 5a5 5 0 0 1 0 10z`} fill="var(--ink)" />}
      <text x={seen.from + 22} y="14" fontSize="11" fill="var(--ink)">
        {fitting(
          [
            placement.locked ? 'locked' : '',
            METHOD_TEXT[placement.method] ?? '',
            Math.abs(placement.rate - 1) > 0.01 ? `at ${placement.rate.toFixed(3)} ×` : '',
            bar.clip.take ?? (takes ? 'one of several takes' : ''),
          ],
          seen.to - seen.from - 26,
        )}
      </text>
    </g>
  )
}

/** As many of the remarks as fit in so many pixels. */
function fitting(remarks: readonly string[], width: number): string {
  let text = ''
  for (const remark of remarks.filter(Boolean)) {
    const next = text ? `${text} · ${remark}` : remark
    if (next.length * 5.9 > width) break
    text = next
  }
  return text
}
