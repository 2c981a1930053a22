import { clockOf, isMaster, type Placement } from '@pendolo/core/project'
import { Button } from 'antd'
import { useState } from 'react'
import { Link } from 'react-router'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { Paper } from '../ui/paper.tsx'
import { Compare } from './compare.tsx'
import { Coverage } from './coverage.tsx'
import { LineUpTop, type VerdictFilter } from './lineup-top.tsx'
import { Points } from './points.tsx'
import { Proof } from './proof.tsx'
import { useSearch } from './search.ts'
import { Several } from './several.tsx'
import { useChecking } from './use-checking.ts'
import { usePlacing } from './use-placing.ts'

export function LineUp({ project, edit, top }: StageProps) {
  const { doc } = project
  const [filter, setFilter] = useState<VerdictFilter>('all')
  const stills = new Set(project.files.filter((f) => f.facts.video?.still).map((f) => f.id))
  const clips = Object.values(doc.clips).filter((c) => !isMaster(doc, c.id) && c.state !== 'aside' && c.angleId && !stills.has(c.fileId))
  const search = useSearch(project.id)
  const checking = useChecking(project, clips)
  const { several, chosen } = checking
  const placement: Placement | null = chosen ? (doc.placements[chosen.id] ?? null) : null
  const byHand = usePlacing({ project, edit }, checking)
  if (clockOf(doc) === null || clips.length === 0) {
    return (
      <>
        {top(<span className="spring" />)}
        <Paper className="body">
          <div className="empty">
            <h2>Nothing to line up yet</h2>
            <p>{clips.length === 0 ? 'First bring the cameras in.' : 'Choose which recording is the master: every camera is placed on its time.'}</p>
            <Link to={`/${project.id}/gather`}>
              <Button type="primary">Gather</Button>
            </Link>
          </div>
        </Paper>
      </>
    )
  }
  return (
    <>
      {top(<LineUpTop project={project} edit={edit} clips={clips} search={search} filter={filter} onFilter={setFilter} />)}
      <div className="lineup">
        <Paper className="sheet">
          <Coverage
            project={project}
            clips={clips}
            filter={filter}
            chosenIds={several}
            onChoose={checking.choose}
            onSlide={(id, by) => edit([{ type: 'nudge', clipIds: [id], by }], 'slide')}
          />
        </Paper>
        <div className="lower">
          <Compare
            project={project}
            clip={chosen}
            offset={checking.offset}
            onOffset={checking.setOffset}
            onSame={byHand.same}
            onTour={() => void checking.tour()}
          />
          <section className="proof" aria-label="Proof">
            {several.length > 1 ? (
              <Several project={project} clipIds={several} edit={edit} onSearch={() => void search.start(several)} />
            ) : chosen ? (
              <Proof
                points={
                  <Points project={project} clip={chosen} edit={edit} onSet={byHand.setPoint} onSearchNear={(near) => void search.start([chosen.id], near)} />
                }
                project={project}
                clip={chosen}
                placement={placement}
                edit={edit}
                flam={checking.flam}
                onFlam={checking.toggleFlam}
                onSearchSpeed={(speed) => void search.start([chosen.id], undefined, speed)}
                onSearchNear={() => {
                  // The clip's start is looked for where the playhead is, as the rough mark.
                  void search.start([chosen.id], engine.now())
                }}
              />
            ) : (
              <div className="empty">
                <h3>The proof</h3>
                <p className="quiet">Choose a clip: here stands how sure its place is and why, with the next-best place and ways to check by eye and ear.</p>
                <p className="quiet">
                  In order of proof, each tried where the one before is not sure: sound · timecode (heard as sound, then in the file) · light · sound through
                  other cameras · recording time.
                </p>
              </div>
            )}
          </section>
        </div>
      </div>
    </>
  )
}
