import { detailText, type Job, LEAST_STEADY, MOST_STEADY, type ProjectState } from '@pendolo/api'
import type { Clip, Edit } from '@pendolo/core/project'
import { App, Button, Dropdown, Progress } from 'antd'
import { useState } from 'react'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import { filmFor } from '../playback/film.ts'
import { useEngine } from '../playback/use-engine.ts'
import { Num } from '../ui/num.tsx'

interface Props {
  readonly project: ProjectState
  readonly angleId: string
  readonly edit: (edits: Edit[], label: string) => boolean
}

/** Seconds over which a hand's shaking and steps even out, while a pan stays one. */
const USUAL_SECONDS = 1

/** The clips whose pictures an angle shows, that move. */
function movingClips({ doc, files }: ProjectState, angleId: string): Clip[] {
  const shown = doc.angles.find((a) => a.id === angleId)?.of ?? angleId
  const moves = (clip: Clip) => files.some((f) => f.id === clip.fileId && f.facts.video && !f.facts.video.still)
  return Object.values(doc.clips).filter((c) => c.angleId === shown && c.state === 'in' && moves(c))
}

/** Steadies the clip at the playhead, or all of an angle's, and goes back to the originals. */
export function Steady({ project, angleId, edit }: Props) {
  const { notification } = App.useApp()
  const { data: jobs = [] } = useJobs(project.id)
  const [seconds, setSeconds] = useState(USUAL_SECONDS)
  const film = filmFor(project)
  const atPlayhead = useEngine(({ time }) => film.takeIn(project.doc.activeCutId, angleId, time)?.clipId ?? null)
  const clips = movingClips(project, angleId)
  const clip = clips.find((c) => c.id === atPlayhead) ?? null
  const nameOf = (c: Clip) => project.files.find((f) => f.id === c.fileId)?.name ?? ''
  const worked = clips.filter((c) => c.workedFileId !== undefined)
  const own = new Set(clips.map((c) => c.fileId))
  const steadying = jobs.filter((j) => j.kind === 'steady' && j.fileId !== null && own.has(j.fileId))
  const busy = steadying.filter((j) => j.state === 'queued' || j.state === 'running')
  const begin = (which: readonly Clip[]) =>
    void send('POST', `/projects/${project.id}/steady`, { clipIds: which.map((c) => c.id), seconds }).catch((error: unknown) =>
      notification.error({ title: 'Nothing was steadied', description: error instanceof Error ? error.message : String(error) }),
    )
  const back = (which: readonly Clip[]) =>
    edit(
      which.map((c) => ({ type: 'workedFile', clipId: c.id, fileId: null })),
      'see originals again',
    )
  return (
    <div className="line">
      <span>steady</span>
      {busy.length > 0 ? (
        <Working jobs={busy} />
      ) : (
        <>
          <Num
            label="Seconds over which the camera’s way is evened out"
            unit="s"
            value={seconds}
            min={LEAST_STEADY}
            max={MOST_STEADY}
            step={0.1}
            onChange={setSeconds}
          />
          <Dropdown
            trigger={['click']}
            disabled={clips.length === 0}
            menu={{
              items: [
                ...(clip ? [{ key: 'one', label: nameOf(clip), onClick: () => begin([clip]) }] : []),
                ...(clips.length > 1 || !clip ? [{ key: 'all', label: `all ${clips.length} clips of the angle`, onClick: () => begin(clips) }] : []),
              ],
            }}
          >
            <Button
              size="small"
              title="evens out how the camera moved, over so many seconds; the steadied copy lies beside the original and has the same timing"
            >
              Steady ▾
            </Button>
          </Dropdown>
          <span className="quiet">{stateOf(clip, project, steadying[0])}</span>
          <span className="spring" />
          {worked.length > 0 && (
            <Button size="small" onClick={() => back(worked)}>
              {worked.length === 1 ? 'Original again' : `${worked.length} originals again`}
            </Button>
          )}
        </>
      )}
    </div>
  )
}

/** What is seen of the clip at the playhead, or why there is nothing else. */
function stateOf(clip: Clip | null, { files }: ProjectState, last: Job | undefined): string {
  if (last?.state === 'failed') return detailText(last.detail)
  const made = clip?.workedFileId === undefined ? undefined : files.find((f) => f.id === clip.workedFileId)
  if (!made) return ''
  return made.ready.tile ? `this clip: ${/ steady (.+ s)\.mp4$/.exec(made.name)?.[1] ?? 'steadied'}` : 'its light copy is being made'
}

function Working({ jobs }: { jobs: readonly Job[] }) {
  const share = jobs.reduce((sum, j) => sum + j.progress, 0) / jobs.length
  return (
    <>
      <Progress percent={Math.round(100 * share)} size="small" style={{ width: 120 }} aria-label="Steadying" />
      <span className="quiet">{jobs.length > 1 ? `${jobs.length} clips` : detailText(jobs[0].detail)}</span>
      <span className="spring" />
      <Button size="small" type="text" onClick={() => jobs.forEach((j) => void send('POST', `/jobs/${j.id}/cancel`))}>
        Cancel
      </Button>
    </>
  )
}
