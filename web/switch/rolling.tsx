import { type Points, pointAt } from '@pendolo/core/cut'
import { projectRate } from '@pendolo/core/project'
import { type Flicks, flicks, frameStart, printTimecode } from '@pendolo/core/time'
import { EngineCanvas } from '../playback/engine-canvas.tsx'
import { filmFor } from '../playback/film.ts'
import { useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'

/** While a cut is dragged: the last picture before it and the first behind it, as they are where it would land. */
export function Rolling({ project, points, from, to }: Pick<StageProps, 'project'> & { points: Points; from: Flicks; to: Flicks }) {
  const now = useEngine((s) => s.time)
  const { settings, angles } = project.doc
  const rate = projectRate(settings)
  const film = filmFor(project)
  const index = pointAt(points, from)
  const sides = [
    { choice: points[index - 1], at: flicks(to - frameStart(1, rate)), what: 'before the cut' },
    { choice: points[index], at: to, what: 'behind the cut' },
  ]
  const moved = Math.round((to - from) / frameStart(1, rate))
  return (
    <div className="rolling" role="group" aria-label="Both sides of the cut">
      {sides.map(({ choice, at, what }) => {
        const clip = choice && film.clipAt(choice.angleId, at, choice.clipId)
        return (
          <figure key={what}>
            {clip ? (
              <EngineCanvas source={{ kind: 'clip', clipId: clip.clipId, offset: at - now }} name={`rolling ${what}`} label={`Picture ${what}`} />
            ) : (
              <span className="quiet">no picture</span>
            )}
            <figcaption>{angles.find((a) => a.id === choice?.angleId)?.name ?? 'nothing'}</figcaption>
          </figure>
        )
      })}
      <span className="mono">
        {printTimecode(to, { rate, dropFrame: settings.dropFrame }, settings.startFrame)} {moved === 0 ? '' : `${moved > 0 ? '+' : '−'}${Math.abs(moved)} f`}
      </span>
    </div>
  )
}
