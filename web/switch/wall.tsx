import type { ProjectState } from '@pendolo/api'
import { type Rect, type Seat, seat } from '@pendolo/core/picture'
import { anglesInUse, factsOfClip, type PictureSpan, projectRate, startFrameOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, masterToClip, printTimecode } from '@pendolo/core/time'
import { Dropdown, type MenuProps } from 'antd'
import { EllipsisVertical } from 'lucide-react'
import { type CSSProperties, memo, useEffect, useMemo, useState } from 'react'
import { useMaterial } from '../data/material.ts'
import { useJobs } from '../data/queries.ts'
import { EngineCanvas, EnginePicture, EngineSurface } from '../playback/engine-canvas.tsx'
import { filmFor } from '../playback/film.ts'
import { soundOnly } from '../playback/model.ts'
import { useEngine } from '../playback/use-engine.ts'
import { useSize } from '../score/time-view.ts'
import type { StageProps } from '../stage.ts'
import { angleKey, Bob } from '../ui/bob.tsx'
import { belongsToFocus } from '../ui/focus.ts'
import { Own } from '../ui/own.tsx'
import { useStable } from '../ui/stable.ts'
import { hueOf } from '../ui/theme.ts'
import { Divider } from './divider.tsx'
import { SoundTile } from './sound-tile.tsx'
import { LEAST_PROGRAMME, MOST_PROGRAMME, setHidden, setKept, setStagePrefs, useStagePrefs } from './stage-prefs.ts'

const GAP = 6
const PADDING = 8
/** Height of the strip of devices that have no pictures. */
const STRIP = 34

export interface WallProps {
  readonly project: ProjectState
  readonly spans: readonly PictureSpan[]
  readonly chosenAngle: string | null
  /** The angle that was pressed and waits for its beat. */
  readonly waitingAngle: string | null
  readonly onChoose: (angleId: string, reassign: boolean, take?: string) => void
  readonly edit: StageProps['edit']
  /** Where the last press of a pass landed, in words. */
  readonly last: string | null
  /** Which of the windows it stands in; each has canvases of its own. */
  readonly place?: 'page' | 'window'
}

/** A seat as it lies in the stage. */
const onStage = ({ x, y, width, height }: Seat): Rect => ({ x: PADDING + x, y: PADDING + y, width, height })
const asStyle = ({ x, y, width, height }: Rect): CSSProperties => ({ left: x, top: y, width, height })

/** The programme and the angles around it, seated so that pictures fill the stage; devices without pictures in a strip of their own. */
export function Wall({ project, spans, chosenAngle, waitingAngle, onChoose, edit, last: pressed, place = 'page' }: WallProps) {
  const material = useMaterial(project)
  const stable = useStable({ choose: onChoose, edit })
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const prefs = useStagePrefs()
  const { doc } = project
  const { settings } = doc
  const all = anglesInUse(doc)
  const hidden = new Set(prefs.hidden[project.id])
  const sounds = all.filter((a) => soundOnly(project, a.id))
  const seen = prefs.shown === 'programme' ? [] : all.filter((a) => !hidden.has(a.id) && !sounds.includes(a))
  const kept = all.find((a) => a.id === prefs.kept[project.id])
  const large = prefs.shown === 'angles' ? 0 : kept ? 2 : 1
  const strip = sounds.length > 0 && prefs.shown !== 'programme' ? STRIP : 0
  const wide = Math.max(1, width - 2 * PADDING)
  const high = Math.max(1, height - 2 * PADDING - strip)
  const aspect = settings.width / settings.height
  const { programme: wished } = prefs
  const seats = useMemo(
    () => seat(seen.length, wide, high, GAP, { aspect, large, ...(wished !== null && { share: wished }) }),
    [seen.length, wide, high, aspect, large, wished],
  )
  const close = useEnlarged(
    all.map((a) => a.id),
    chosenAngle,
  )
  const hasTakes = useMemo(() => anglesWithTakes(spans), [spans])
  const [programme, beside] = seats.large
  const share = seats.large.reduce((sum, s) => sum + s.width, 0) / wide
  const last = seats.large.at(-1)
  const enlarged = all.find((a) => a.id === close.angleId)
  const over = programme ?? seats.tiles[0]
  return (
    <div className="stage" ref={ref} style={{ height: '100%' }} {...close.handlers}>
      <EngineSurface>
        {width > 0 &&
          seen.map((angle, i) => (
            <Tile
              key={angle.id}
              // Which take is seen changes with the cut; else a press changes nothing of a tile.
              project={hasTakes.has(angle.id) ? project : material}
              spans={spans}
              index={all.indexOf(angle)}
              {...onStage(seats.tiles[i])}
              chosen={angle.id === chosenAngle}
              waiting={angle.id === waitingAngle}
              kept={angle.id === kept?.id}
              name={`${place === 'window' ? 'window:' : ''}angle:${angle.id}`}
              onChoose={stable.choose}
              edit={stable.edit}
            />
          ))}
        {width > 0 && programme && <Programme project={project} place={onStage(programme)} name={place === 'window' ? 'window:programme' : 'programme'} />}
        {width > 0 && beside && kept && (
          <div className="programme kept" style={asStyle(onStage(beside))}>
            <EnginePicture
              source={{ kind: 'angle', angleId: kept.id }}
              name={`${place}:kept`}
              label={`Kept beside the programme: ${kept.name}`}
              place={onStage(beside)}
            />
            <span className="label mono">
              {angleKey(all.indexOf(kept))} {kept.name}
            </span>
          </div>
        )}
        {width > 0 && enlarged && over && (
          <div className="programme enlarged" style={asStyle(onStage(over))}>
            <EngineCanvas key={enlarged.id} source={{ kind: 'angle', angleId: enlarged.id }} name={`${place}:enlarged`} label={`Enlarged: ${enlarged.name}`} />
            <span className="label mono">
              {angleKey(all.indexOf(enlarged))} {enlarged.name}
            </span>
          </div>
        )}
        {width > 0 && last && seen.length > 0 && place === 'page' && (
          <Divider
            label="Room for large pictures"
            direction="column"
            value={share}
            style={{ left: PADDING + last.x + last.width - 3, top: PADDING + last.y, height: last.height }}
            at={(e) => {
              const left = ref.current?.getBoundingClientRect().left ?? 0
              // The programme grows around its own middle, so its edge goes half as far.
              const middle = PADDING + (seats.large[0].x + last.x + last.width) / 2
              return (2 * (e.clientX - left - middle)) / wide
            }}
            onChange={(value) => setStagePrefs({ programme: Math.min(MOST_PROGRAMME, Math.max(LEAST_PROGRAMME, value)) })}
            onReset={() => setStagePrefs({ programme: null })}
          />
        )}
        {strip > 0 && (
          <div className="sound-strip" role="group" aria-label="Devices without pictures">
            {sounds.map((angle) => (
              <button
                type="button"
                key={angle.id}
                aria-label={`Angle ${all.indexOf(angle) + 1}, ${angle.name}`}
                aria-pressed={angle.id === chosenAngle}
                onClick={(e) => onChoose(angle.id, e.shiftKey)}
              >
                <Bob index={all.indexOf(angle)} hue={angle.hue} lit={angle.id === chosenAngle} size={16} />
                <span className="name">{angle.name}</span>
                <SoundTile project={project} angleId={angle.id} />
              </button>
            ))}
          </div>
        )}
        {pressed && (
          <span className="last-press mono" role="status">
            {pressed}
          </span>
        )}
        {hidden.size > 0 && prefs.shown !== 'programme' && <Hidden project={project} hidden={hidden} />}
      </EngineSurface>
    </div>
  )
}

/** The angle that is looked at closely while its key is held: that under the pointer, else the chosen one. */
function useEnlarged(angleIds: readonly string[], chosen: string | null) {
  const [under, setUnder] = useState<string | null>(null)
  const [held, setHeld] = useState(false)
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.code === 'KeyZ' && !event.ctrlKey && !event.metaKey && !event.altKey && !belongsToFocus(event)) setHeld(true)
    }
    const release = (event: Event) => {
      if (!(event instanceof KeyboardEvent) || event.code === 'KeyZ') setHeld(false)
    }
    window.addEventListener('keydown', press)
    window.addEventListener('keyup', release)
    window.addEventListener('blur', release)
    return () => {
      window.removeEventListener('keydown', press)
      window.removeEventListener('keyup', release)
      window.removeEventListener('blur', release)
    }
  }, [])
  const handlers = {
    onPointerOver: (event: React.PointerEvent) => setUnder((event.target as Element).closest('[data-angle]')?.getAttribute('data-angle') ?? null),
    onPointerLeave: () => setUnder(null),
  }
  const angleId = under ?? chosen
  return { angleId: held && angleId !== null && angleIds.includes(angleId) ? angleId : null, handlers }
}

function Hidden({ project, hidden }: Pick<WallProps, 'project'> & { hidden: ReadonlySet<string> }) {
  const angles = anglesInUse(project.doc).filter((a) => hidden.has(a.id))
  const items: MenuProps['items'] = angles.map((a) => ({ key: a.id, label: `show ${a.name} again`, onClick: () => setHidden(project.id, a.id, false) }))
  if (angles.length === 0) return null
  return (
    <Dropdown trigger={['click']} menu={{ items }}>
      <button type="button" className="hidden-angles">
        {angles.length} hidden
      </button>
    </Dropdown>
  )
}

/** Angles of which several clips have pictures at one instant. */
function anglesWithTakes(spans: readonly PictureSpan[]): Set<string> {
  const ends = new Map<string, Flicks>()
  const out = new Set<string>()
  for (const { angleId, start, end } of [...spans].sort((a, b) => a.start - b.start)) {
    const until = ends.get(angleId)
    if (until !== undefined && until > start) out.add(angleId)
    ends.set(angleId, until === undefined || end > until ? end : until)
  }
  return out
}

interface TileProps extends Pick<WallProps, 'project' | 'spans' | 'onChoose' | 'edit'>, Rect {
  readonly index: number
  readonly chosen: boolean
  readonly waiting: boolean
  readonly kept: boolean
  readonly name: string
}

/** Smaller than this a tile has no room for two texts in a line, px. */
const NARROW = 150
/** In a tile narrower than this a timecode beside the name would leave little of it. */
const STACKED = 190

const Tile = memo(function Tile({ project, spans, index, chosen, waiting, kept, name, onChoose, edit, ...place }: TileProps) {
  const { data: jobs = [] } = useJobs(project.id)
  const angle = anglesInUse(project.doc)[index]
  const items: MenuProps['items'] = [
    { key: 'keep', label: kept ? 'no longer beside the programme' : 'keep beside the programme', onClick: () => setKept(project.id, kept ? null : angle.id) },
    ...(['left', 'right'] as const).map((side) => ({
      key: side,
      label: angle.side === side ? `not seen from the ${side}` : `sees the stage from the ${side}`,
      onClick: () => edit([{ type: 'sideAngle', angleId: angle.id, side: angle.side === side ? null : side }], 'the side of an angle'),
    })),
    { key: 'hide', label: 'hide on the wall', onClick: () => setHidden(project.id, angle.id, true) },
  ]
  return (
    <div
      className={['tile', chosen && 'on', waiting && 'waiting', place.width < NARROW && 'narrow', place.width < STACKED && 'stacked'].filter(Boolean).join(' ')}
      style={{ ...asStyle(place), '--hue': hueOf(angle.hue) } as CSSProperties}
      data-angle={angle.id}
    >
      <Dropdown trigger={['contextMenu']} menu={{ items }}>
        <button
          type="button"
          className="press"
          aria-label={`Angle ${index + 1}, ${angle.name}`}
          aria-pressed={chosen}
          onClick={(e) => onChoose(angle.id, e.shiftKey)}
        >
          <EnginePicture source={{ kind: 'angle', angleId: angle.id }} name={name} label={`Picture of ${angle.name}`} place={place} />
          <Absent why={(time) => absence(project, spans, angle.id, time, jobs)} />
          <SoonDark project={project} angleId={angle.id} />
          <span className="foot">
            <SourceTime project={project} angleId={angle.id} />
            <span className="words">{angle.name}</span>
          </span>
          <Bob index={index} hue={angle.hue} lit={chosen} size={place.width < NARROW ? 15 : 20} />
        </button>
      </Dropdown>
      <Takes project={project} angleId={angle.id} onChoose={onChoose} />
      <Dropdown trigger={['click']} menu={{ items }}>
        <button type="button" className="more" aria-label={`More for ${angle.name}`}>
          <EllipsisVertical size={14} />
        </button>
      </Dropdown>
    </div>
  )
})

/** The takes that an angle has here, where it has several; a press chooses one. */
function Takes({ project, angleId, onChoose }: Pick<WallProps, 'project' | 'onChoose'> & { angleId: string }) {
  const film = filmFor(project)
  const { doc } = project
  const here = useEngine(({ time }) => film.takesAt(angleId, time).join(' '))
  const seen = useEngine(({ time, health }) => (health.programme.angleId === angleId ? film.shownAt(doc.activeCutId, time).clipId : null))
  const takes = here === '' ? [] : here.split(' ')
  if (takes.length < 2) return null
  // In the order in which they were recorded, whichever is the newest on the wall.
  const sorted = [...takes].sort((a, b) => doc.placements[a].start - doc.placements[b].start || (a < b ? -1 : 1))
  return (
    <span className="takes" role="group" aria-label="Takes">
      {sorted.map((clipId, i) => (
        <button
          key={clipId}
          type="button"
          aria-label={`Take ${doc.clips[clipId]?.take ?? i + 1}`}
          aria-pressed={clipId === seen}
          onClick={(e) => onChoose(angleId, e.shiftKey, clipId)}
        >
          {doc.clips[clipId]?.take?.replace(/^Take\s+/i, '').slice(0, 8) ?? i + 1}
        </button>
      ))}
    </span>
  )
}

/** Before an angle goes dark it is counted down, s. */
const COUNTED = 6

function SoonDark({ project, angleId }: { project: ProjectState; angleId: string }) {
  const film = filmFor(project)
  const left = useEngine(({ time, playing }) => {
    if (!playing) return null
    const span = film.clipAt(angleId, time)
    const rest = span && Math.ceil((span.end - time) / FLICKS_PER_SECOND)
    if (rest === null || rest > COUNTED || film.clipAt(angleId, flicks(span?.end ?? 0))) return null
    return rest
  })
  return left === null ? null : <span className="soon-dark">dark in {left}</span>
}

function Programme({ project, place, name }: Pick<WallProps, 'project'> & { place: Rect; name: string }) {
  const seenId = useEngine((s) => s.health.programme.angleId)
  const standsIn = useEngine((s) => s.health.programme.standIn)
  const { doc } = project
  const angles = anglesInUse(doc)
  const index = angles.findIndex((a) => a.id === seenId)
  const seen = angles[index]
  return (
    <div className="programme" style={asStyle(place)}>
      <EnginePicture source={{ kind: 'programme' }} name={name} label="Programme" place={place} />
      {seen && (
        <span className={standsIn ? 'label mono warn' : 'label mono'}>
          {standsIn && doc.cuts.some((c) => c.points.length > 0) && (
            <>
              <Own word="stands in" />:{' '}
            </>
          )}
          {angleKey(index)} {seen.name} <SourceTime project={project} angleId={seen.id} />
        </span>
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
  const shows = doc.angles.find((a) => a.id === angleId)?.of ?? angleId
  const clips = Object.values(doc.clips).filter((c) => c.angleId === shows && c.state === 'in')
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
