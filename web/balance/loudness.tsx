import { detailText, type Job, type LoudnessCurve, type ProjectState } from '@pendolo/api'
import type { FilmRun } from '@pendolo/core/film'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { App, Button, Progress, Tooltip } from 'antd'
import { useEffect, useRef } from 'react'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import type { PaperColours } from '../score/colours.ts'
import { type TimeView, useSize } from '../score/time-view.ts'
import { drawingOn } from './canvas.ts'

/** Levels that are drawn, LUFS, and where lines lie. */
const [LEAST, MOST] = [-45, -5]
const LINES = [-40, -30, -23, -16]

interface Measured {
  /** What is being measured, or was last. */
  readonly job: Job | null
  readonly curve: LoudnessCurve | null
  /** Whether anything was changed since. */
  readonly stale: boolean
}

/** The loudness of the film as it was measured last. */
export function useLoudness(project: ProjectState): Measured {
  const { data: jobs = [] } = useJobs(project.id)
  const own = jobs.filter((j) => j.kind === 'loudness').sort((a, b) => b.createdAt - a.createdAt)
  const done = own.find((j) => j.result && 'shortTerm' in j.result)
  const curve = (done?.result as LoudnessCurve | undefined) ?? null
  return { job: own[0] ?? null, curve, stale: curve !== null && curve.revision !== project.revision }
}

const told = (level: number | null): string => (level === null ? 'silent' : `${level < 0 ? '−' : ''}${Math.abs(level).toFixed(1)}`)

const figuresOf = ({ integrated, truePeak }: LoudnessCurve['sound']): string =>
  integrated === null ? 'nothing is heard' : `${told(integrated)} LUFS · peak ${told(truePeak)}`

/** How loud the film is, in figures; a press measures it. */
export function LoudnessChip({ project, measured: { job, curve, stale } }: { project: ProjectState; measured: Measured }) {
  const { notification } = App.useApp()
  const measure = () =>
    void send('POST', `/projects/${project.id}/loudness`).catch((error: unknown) =>
      notification.error({ title: 'The loudness was not measured', description: error instanceof Error ? error.message : String(error) }),
    )
  if (job?.state === 'running' || job?.state === 'queued')
    return (
      <span className="loudness-chip">
        <Progress percent={Math.round(job.progress * 100)} size="small" style={{ width: 90 }} aria-label="Measuring the loudness" />
        <Button size="small" type="text" onClick={() => void send('POST', `/jobs/${job.id}/cancel`)}>
          Cancel
        </Button>
      </span>
    )
  const failed = job?.state === 'failed' ? detailText(job.detail) : null
  const { sound } = curve ?? {}
  const words = sound
    ? `Integrated ${told(sound.integrated)} LUFS, range ${sound.range.toFixed(1)} LU, true peak ${told(sound.truePeak)} dBTP${stale ? '; measured before the last changes' : ''}. Press to measure again`
    : 'Mixes the film as it will be and measures it (EBU R 128)'
  return (
    <Tooltip title={failed ?? words}>
      <Button size="small" className="mono" onClick={measure}>
        {failed ? 'loudness not measured' : sound ? `${figuresOf(sound)}${stale ? ' · older' : ''}` : 'Measure loudness'}
      </Button>
    </Tooltip>
  )
}

interface RowProps {
  readonly curve: LoudnessCurve
  readonly stale: boolean
  /** Where on the master the film is. */
  readonly runs: readonly FilmRun[]
  readonly view: TimeView
  readonly colours: PaperColours
}

/** The loudness of the film over its length, where it stands on the master: of three seconds as a line, of 400 ms as a ground. */
export function LoudnessRow({ curve, stale, runs, view, colours }: RowProps) {
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const canvas = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    const ctx = drawingOn(canvas.current, width, height)
    if (!ctx) return
    const y = (level: number) => height * (1 - (Math.max(LEAST, Math.min(MOST, level)) - LEAST) / (MOST - LEAST))
    ctx.strokeStyle = colours.line
    ctx.fillStyle = colours.quiet
    ctx.font = "10px 'Instrument Sans Variable', sans-serif"
    for (const level of LINES) {
      ctx.beginPath()
      ctx.moveTo(0, Math.round(y(level)) + 0.5)
      ctx.lineTo(width, Math.round(y(level)) + 0.5)
      ctx.stroke()
    }
    for (const run of runs)
      if (run.from !== null) drawRun(ctx, curve, { at: run.at, from: run.from, length: run.length }, (t) => ((t - view.from) / view.span) * width, y, colours)
    const { integrated } = curve.sound
    if (integrated === null) return
    ctx.strokeStyle = colours.brass
    ctx.setLineDash([6, 4])
    ctx.beginPath()
    ctx.moveTo(0, y(integrated))
    ctx.lineTo(width, y(integrated))
    ctx.stroke()
    ctx.setLineDash([])
  })
  const { sound } = curve
  return (
    <div className={stale ? 'loudness-row stale' : 'loudness-row'}>
      <div className="who">
        <b>Loudness</b>
        <span className="quiet mono" style={{ fontSize: 11 }}>
          {sound.integrated === null
            ? 'nothing is heard'
            : `${told(sound.integrated)} LUFS · range ${sound.range.toFixed(1)} LU · ${told(sound.truePeak)} dBTP`}
        </span>
      </div>
      <div ref={ref} className="curve">
        <canvas ref={canvas} role="img" aria-label="Loudness of the film over its length" />
      </div>
    </div>
  )
}

function drawRun(
  ctx: CanvasRenderingContext2D,
  { step, shortTerm, momentary }: LoudnessCurve,
  run: { at: number; from: number; length: number },
  x: (seconds: number) => number,
  y: (level: number) => number,
  colours: PaperColours,
): void {
  const seconds = (t: number) => t / FLICKS_PER_SECOND
  const [first, last] = [Math.floor(seconds(run.at) / step), Math.ceil(seconds(run.at + run.length) / step)]
  const at = (i: number) => x(seconds(run.from) + Math.max(0, Math.min(seconds(run.length), i * step - seconds(run.at))))
  ctx.fillStyle = colours.wave
  ctx.globalAlpha = 0.28
  ctx.beginPath()
  ctx.moveTo(at(first), y(LEAST))
  for (let i = first; i < Math.min(last, momentary.length); i++) ctx.lineTo(at(i), y(momentary[i]))
  ctx.lineTo(at(Math.min(last, momentary.length)), y(LEAST))
  ctx.fill()
  ctx.globalAlpha = 1
  ctx.strokeStyle = colours.ink
  ctx.lineWidth = 1.4
  ctx.beginPath()
  for (let i = first; i < Math.min(last, shortTerm.length); i++) ctx.lineTo(at(i), y(shortTerm[i]))
  ctx.stroke()
  ctx.lineWidth = 1
}
