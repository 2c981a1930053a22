import type { ProjectState } from '@pendolo/api'
import { seat } from '@pendolo/core/picture'
import { anglesInUse, factsOfClip, type PictureSpan, pointsOf, projectRate, startFrameOf } from '@pendolo/core/project'
import { type Flicks, flicks, masterToClip, printTimecode } from '@pendolo/core/time'
import type { CSSProperties } from 'react'
import { useJobs } from '../data/queries.ts'
import { EngineCanvas } from '../playback/engine-canvas.tsx'
import { filmFor } from '../playback/film.ts'
import { soundOnly } from '../playback/model.ts'
import { useEngine } from '../playback/use-engine.ts'
import { useSize } from '../score/time-view.ts'
import { angleKey, Bob } from '../ui/bob.tsx'
import { Own } from '../ui/own.tsx'
import { hueOf } from '../ui/theme.ts'
import { SoundTile } from './sound-tile.tsx'

const GAP = 6

export interface WallProps {
  readonly project: ProjectState
  readonly spans: readonly PictureSpan[]
  readonly chosenAngle: string | null
  /** The angle that was pressed and waits for its beat. */
  readonly waitingAngle: string | null
  readonly onChoose: (angleId: string, reassign: boolean, take?: string) => void
}

/** The programme in the middle and the angles seated around it, left and right, like players around a conductor. */
export function Wall({ project, spans, chosenAngle, waitingAngle, onChoose }: WallProps) {
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const seenId = useEngine((s) => s.health.programme.angleId)
  const standsIn = useEngine((s) => s.health.programme.standIn)
  const { data: jobs = [] } = useJobs(project.id)
  const { doc } = project
  const { settings } = doc
  const angles = anglesInUse(doc)
  const seats = seat(angles.length, width - 16, height - 16, GAP, settings.width / settings.height)
  const half = Math.ceil(angles.length / 2)
  const sideWidth = seats.columnsPerSide * (seats.tileWidth + GAP)
  const programmeLeft = 8 + sideWidth + (width - 16 - 2 * sideWidth - seats.programmeWidth) / 2
  const programmeTop = Math.max(8, (height - seats.programmeHeight) / 2)
  const place = (i: number): CSSProperties => {
    const right = i >= half
    const k = right ? i - half : i
    // Both sides share their rows, so that the wall reads as one.
    const rows = Math.min(seats.rows, Math.ceil(half / seats.columnsPerSide) || 1)
    const row = Math.floor(k / seats.columnsPerSide)
    const column = k % seats.columnsPerSide
    const top = (height - rows * seats.tileHeight - (rows - 1) * GAP) / 2
    return {
      left: right ? width - 8 - sideWidth + GAP + column * (seats.tileWidth + GAP) : 8 + column * (seats.tileWidth + GAP),
      top: top + row * (seats.tileHeight + GAP),
      width: seats.tileWidth,
      height: seats.tileHeight,
    }
  }
  const seenIndex = angles.findIndex((a) => a.id === seenId)
  const seen = angles[seenIndex]
  return (
    <div className="stage" ref={ref} style={{ height: '100%' }}>
      {width > 0 &&
        angles.map((angle, i) => (
          <button
            type="button"
            key={angle.id}
            className={['tile', angle.id === chosenAngle && 'on', angle.id === waitingAngle && 'waiting'].filter(Boolean).join(' ')}
            style={{ ...place(i), '--hue': hueOf(angle.hue) } as CSSProperties}
            aria-label={`Angle ${i + 1}, ${angle.name}`}
            aria-pressed={angle.id === chosenAngle}
            onClick={(e) => onChoose(angle.id, e.shiftKey)}
          >
            <EngineCanvas source={{ kind: 'angle', angleId: angle.id }} name={`angle:${angle.id}`} label={`Picture of ${angle.name}`} />
            <Absent why={(time) => absence(project, spans, angle.id, time, jobs)} />
            {soundOnly(project, angle.id) && <SoundTile project={project} angleId={angle.id} />}
            <span className="foot">
              {seats.tileWidth > 190 && <SourceTime project={project} angleId={angle.id} />}
              {angle.name}
            </span>
            <Bob index={i} hue={angle.hue} lit={angle.id === chosenAngle} />
          </button>
        ))}
      {width > 0 && (
        <div className="programme" style={{ left: programmeLeft, top: programmeTop, width: seats.programmeWidth, height: seats.programmeHeight }}>
          <EngineCanvas source={{ kind: 'programme' }} name="programme" label="Programme" />
          {seen && (
            <span className={standsIn ? 'label mono warn' : 'label mono'}>
              {standsIn && doc.cuts.some((c) => pointsOf(c).length > 0) && (
                <>
                  <Own word="stands in" />:{' '}
                </>
              )}
              {angleKey(seenIndex)} {seen.name}
            </span>
          )}
        </div>
      )}
    </div>
  )
}

function Absent({ why }: { why: (time: Flicks) => string | null }) {
  const text = useEngine((s) => why(s.time))
  return text === null ? null : <span className="absent">{text}</span>
}

function SourceTime({ project, angleId }: { project: ProjectState; angleId: string }) {
  const text = useEngine(({ time }) => {
    const span = filmFor(project).clipAt(angleId, time)
    return span ? sourceTimecode(project, span, time) : ''
  })
  return <span className="mono">{text}</span>
}

/** Why a tile has no picture now; null when it has. */
function absence(
  project: ProjectState,
  spans: readonly PictureSpan[],
  angleId: string,
  time: Flicks,
  jobs: readonly { fileId: string | null; kind: string; state: string; progress: number }[],
): string | null {
  const { doc } = project
  const clips = Object.values(doc.clips).filter((c) => c.angleId === angleId && c.state === 'in')
  const fileOf = (clipId: string) => project.files.find((f) => f.id === doc.clips[clipId]?.fileId)
  const span = filmFor(project).clipAt(angleId, time)
  if (span) {
    const file = fileOf(span.clipId)
    if (file?.missing && !file.ready.tile) return 'the original is missing'
    if (file?.ready.tile) return null
    const job = jobs.find((j) => j.fileId === file?.id && j.kind === 'copies' && j.state !== 'done')
    return job?.state === 'running'
      ? `light copy: ${Math.round(job.progress * 100)} %`
      : job?.state === 'failed'
        ? 'the light copy failed; see Gather'
        : 'the light copy is waiting to be made'
  }
  if (soundOnly(project, angleId)) return 'sound only'
  if (clips.every((c) => !doc.placements[c.id])) return 'not lined up yet'
  const next = spans.find((s) => s.angleId === angleId && s.start > time)
  const style = { rate: projectRate(doc.settings), dropFrame: doc.settings.dropFrame }
  return next ? `no picture until ${printTimecode(next.start, style, doc.settings.startFrame)}` : 'no picture from here on'
}

/** Timecode of the source: its own where the file has one, else its running time. */
export function sourceTimecode(project: ProjectState, span: Pick<PictureSpan, 'clipId'>, time: Flicks): string {
  const { doc } = project
  const file = project.files.find((f) => f.id === doc.clips[span.clipId]?.fileId)
  const placement = doc.placements[span.clipId]
  if (!file?.facts.video || !placement) return ''
  if (file.facts.video.still) return 'still'
  const facts = factsOfClip(file.facts, doc.clips[span.clipId])
  const style = { rate: facts.video?.rate ?? file.facts.video.rate, dropFrame: file.facts.timecode?.includes(';') ?? false }
  const start = startFrameOf(facts)
  return printTimecode(flicks(masterToClip(time, placement)), style, start)
}
