import { anglesInUse } from '@pendolo/core/project'
import { type CSSProperties, useRef } from 'react'
import { EngineCanvas } from '../playback/engine-canvas.tsx'
import { filmFor } from '../playback/film.ts'
import { useEngine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { Handles } from './handles.tsx'
import { Scopes } from './scopes.tsx'
import { cutoutEdit, cutoutIn, scopeOf } from './seen-as.ts'
import type { Picturing } from './shapes.tsx'

/** The picture that is balanced; what is framed has its handles on it. */
export function BalancedPicture({ project, picturing, edit }: Pick<StageProps, 'project' | 'edit'> & { picturing: Picturing }) {
  const { doc } = project
  const { angleId, exceptionId, end, part } = picturing
  const scope = anglesInUse(doc).some((a) => a.id === angleId) ? scopeOf(doc, angleId, exceptionId, end) : null
  const angle = scope?.angle ?? null
  const film = filmFor(project)
  const clipId = useEngine(({ time }) => (angle ? (film.takeIn(doc.activeCutId, angle.id, time)?.clipId ?? null) : null))
  const video = clipId === null ? null : project.files.find((f) => f.id === doc.clips[clipId]?.fileId)?.facts.video
  const frame = useRef<HTMLDivElement>(null)
  return (
    <div className="pictured">
      <div className="frame" ref={frame} style={{ '--shape': doc.settings.width / doc.settings.height } as CSSProperties}>
        {angle ? (
          <EngineCanvas key={angle.id} source={{ kind: 'angle', angleId: angle.id, asCut: true }} name="balance" label="Picture of the angle in the frame" />
        ) : (
          <EngineCanvas key="programme" source={{ kind: 'programme' }} name="programme" label="Programme" />
        )}
        {angle && clipId === null && <span className="quiet none">no picture here</span>}
        {scope && part === 'framing' && video && (
          <Handles
            key={`${scope.angle.id} ${scope.exception?.id}`}
            name={scope.angle.name}
            own={video}
            frame={doc.settings}
            framing={scope.angle.framing}
            cutout={cutoutIn(scope)}
            onChange={(cutout, group) => edit([cutoutEdit(scope, cutout)], 'frame an angle', group)}
          />
        )}
      </div>
      {picturing.scopes && <Scopes of={frame} />}
    </div>
  )
}
