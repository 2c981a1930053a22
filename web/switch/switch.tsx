import { MAGNETS, type Magnet, nearestIndex, pointAt, pulled } from '@pendolo/core/cut'
import { marksOnMaster, pictureSpans, pointsOf, projectRate, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, nearestFrameStart } from '@pendolo/core/time'
import { App, Button, Dropdown, InputNumber, Popover, Segmented } from 'antd'
import { Pause, Play } from 'lucide-react'
import { useEffect, useMemo, useRef, useState } from 'react'
import { useHotkeys } from 'react-hotkeys-hook'
import { Link } from 'react-router'
import { filmFor } from '../playback/film.ts'
import { eventOf, leftOutOf, masterEnd } from '../playback/model.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import { MasterTime } from '../score/master-time.tsx'
import { Score } from '../score/score.tsx'
import type { StageProps } from '../stage.ts'
import { ANGLE_KEYS } from '../ui/bob.tsx'
import { newId } from '../ui/ids.ts'
import { Paper } from '../ui/paper.tsx'
import { useStable } from '../ui/stable.ts'
import { setTouchLag, useTouchLag } from '../ui/touch-lag.ts'
import { Parts } from './parts.tsx'
import { Follow, Pieces, type Range, RangeBar } from './programme.tsx'
import { Wall } from './wall.tsx'

const CODES = ANGLE_KEYS.map((k) => (/\d/.test(k) ? `Digit${k}` : `Key${k.toUpperCase()}`))
/** Long enough for the new cut to reach the picture engine on a busy machine. */
const PREVIEW_SECONDS = 0.3

/** Where cuts land. */
const PULLS: Record<Magnet, string> = {
  off: 'exactly where the key was pressed',
  beat: 'on the nearest beat',
  bar: 'on the nearest first beat of a bar',
  hit: 'on a strong hit near by, exact to a few milliseconds',
  mark: 'on the nearest mark: first words, cues, parts',
}

export function Switch({ project, edit, top }: StageProps) {
  const { doc } = project
  const { settings } = doc
  const rate = projectRate(settings)
  const playing = useEngine((s) => s.playing)
  const speed = useEngine((s) => s.speed)
  const { message } = App.useApp()
  const cut = doc.cuts.find((c) => c.id === doc.activeCutId) ?? doc.cuts[0]
  const points = pointsOf(cut)
  const lag = useTouchLag()
  const pulse = pulseOf(doc)
  const spans = useMemo(() => {
    const facts = new Map(project.files.map((f) => [f.id, f.facts]))
    return pictureSpans(doc, (id) => facts.get(id))
  }, [doc, project.files])
  const marks = useMemo(() => {
    const { beats = [], downbeats = [], hits = [] } = pulseOf(doc) ?? {}
    const pulling = {
      off: () => [],
      beat: () => beats,
      bar: () => downbeats.map((i) => beats[i]),
      hit: () => hits,
      mark: () => marksOnMaster(doc).map((m) => m.time),
    }
    return pulling[settings.magnet]()
  }, [doc, settings.magnet])
  const snap = (t: Flicks) => (t <= engine.event.start ? engine.event.start : pulled(t, near(marks, t, 0.18), rate, settings.lead, settings.magnet))
  const reachesPast = useMemo(() => {
    const { start, end } = eventOf(project)
    return start < 0 || end > masterEnd(project)
  }, [project])
  const leftOut = leftOutOf(filmFor(project), filmFor(project).bounds.master)
  const [range, setRange] = useState<Range | null>(null)
  const zoomRef = useRef<((factor: number) => void) | null>(null)
  /** Time of the last press in this run of playing: what lies between two presses has been cut anew. */
  const pass = useRef<Flicks | null>(null)
  useEffect(() => {
    if (!playing) pass.current = null
  }, [playing])

  const chooseAngle = (angleId: string, reassign: boolean) => {
    const now = engine.now()
    if (reassign) {
      edit([{ type: 'reassign', cutId: cut.id, time: now, choice: { angleId } }], 'give another angle')
      return
    }
    const running = engine.getState().playing
    const pressed = flicks(Math.max(engine.event.start, Math.round(now - (running ? (lag / 1000) * FLICKS_PER_SECOND : 0))))
    // Standing, the place has been chosen already; running, the magnet takes the press to the beat it was meant for.
    const at =
      running && marks.length > 0
        ? flicks(Math.max(engine.event.start, pulled(pressed, marks, rate, settings.lead, settings.magnet)))
        : nearestFrameStart(pressed, rate)
    const since = running && pass.current !== null && pass.current < at ? pass.current : undefined
    // The picture changes with the key; the score follows when it has been drawn anew.
    if (running) engine.preview(angleId, flicks(Math.max(at, now + Math.round(PREVIEW_SECONDS * FLICKS_PER_SECOND))))
    if (edit([{ type: 'choose', cutId: cut.id, time: at, choice: { angleId }, ...(since !== undefined && { since }) }], 'cut') && running) pass.current = at
  }
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement
      if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.isContentEditable) return
      const index = CODES.indexOf(event.code)
      const angle = doc.angles[index]
      if (index < 0 || !angle) return
      event.preventDefault()
      chooseAngle(angle.id, event.shiftKey)
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  })

  const nearestPoint = (): Flicks | null => {
    const i = nearestIndex(
      points.map((p) => p.time),
      engine.now(),
    )
    return i < 0 ? null : points[i].time
  }
  const rollTo = (from: Flicks, to: Flicks) => edit([{ type: 'roll', cutId: cut.id, time: from, to: flicks(Math.max(engine.event.start, to)) }], 'roll a cut')
  const nudge = (frames: number) => {
    const at = nearestPoint()
    if (at !== null) rollTo(at, flicks(at + frames * frameStart(1, rate)))
  }
  const toBeat = (direction: 1 | -1) => {
    const at = nearestPoint()
    const beats = pulseOf(doc)?.beats ?? []
    if (at === null) return
    if (beats.length === 0) return void message.info('There are no beats yet; find them in Pulse')
    const next = direction > 0 ? beats.find((b) => nearestFrameStart(b, rate) > at) : beats.findLast((b) => nearestFrameStart(b, rate) < at)
    if (next !== undefined) rollTo(at, nearestFrameStart(next, rate))
  }
  const hold = { preventDefault: true }
  useHotkeys('bracketleft', () => nudge(-1), hold, [points, edit])
  useHotkeys('bracketright', () => nudge(1), hold, [points, edit])
  useHotkeys('shift+bracketleft', () => toBeat(-1), hold, [points, edit])
  useHotkeys('shift+bracketright', () => toBeat(1), hold, [points, edit])
  useHotkeys(
    'backspace',
    () => {
      const at = nearestPoint()
      if (at !== null) edit([{ type: 'join', cutId: cut.id, time: at }], 'join')
    },
    hold,
    [points, edit],
  )
  useHotkeys(
    'up',
    () => {
      const before = points.findLast((p) => p.time < engine.now())
      if (before) engine.seek(before.time)
    },
    hold,
    [points],
  )
  useHotkeys(
    'down',
    () => {
      const after = points.find((p) => p.time > engine.now())
      if (after) engine.seek(after.time)
    },
    hold,
    [points],
  )
  useHotkeys('equal, shift+equal, add', () => zoomRef.current?.(0.7), hold)
  useHotkeys('minus, subtract', () => zoomRef.current?.(1 / 0.7), hold)

  const actions = useStable({
    snap,
    roll: rollTo,
    paint: (angleId: string, from: Flicks, to: Flicks) => edit([{ type: 'paint', cutId: cut.id, from, to, choice: { angleId } }], 'paint a stretch'),
    join: (t: Flicks) => edit([{ type: 'join', cutId: cut.id, time: t }], 'join'),
    choose: setRange,
  })
  const chosen = useEngine(({ time }) => points[pointAt(points, time)]?.angleId ?? null)
  const end = masterEnd(project)
  const outside = useEngine(({ time }) => time < 0 || time > end)
  const bar = useEngine(({ time }) => (pulse ? barLabel(pulse, time) : ''))

  if (doc.angles.length === 0 || spans.length === 0) {
    return (
      <>
        {top(<span className="spring" />)}
        <Paper className="body">
          <div className="empty">
            <h2>Nothing to switch between yet</h2>
            <p>{doc.angles.length === 0 ? 'First bring the cameras in.' : 'The cameras have no place on the master’s time yet: line them up.'}</p>
            <Link to={`/${project.id}/${doc.angles.length === 0 ? 'gather' : 'line-up'}`}>
              <Button type="primary">{doc.angles.length === 0 ? 'Gather' : 'Line up'}</Button>
            </Link>
          </div>
        </Paper>
      </>
    )
  }
  return (
    <>
      {top(
        <>
          <Dropdown
            trigger={['click']}
            menu={{
              items: [
                ...doc.cuts.map((c) => ({
                  key: c.id,
                  label: `${c.name} · ${cutsOf(pointsOf(c).length)}`,
                  onClick: () => edit([{ type: 'activeCut', cutId: c.id }], 'show another version'),
                })),
                { type: 'divider' as const },
                {
                  key: 'copy',
                  label: 'a new version from this one',
                  onClick: () => edit([{ type: 'addCut', cutId: newId(), name: nextName(doc.cuts.length), from: cut.id }], 'a new version'),
                },
                {
                  key: 'new',
                  label: 'an empty version',
                  onClick: () => edit([{ type: 'addCut', cutId: newId(), name: nextName(doc.cuts.length), from: null }], 'a new version'),
                },
                ...(doc.cuts.length > 1
                  ? [
                      {
                        key: 'remove',
                        danger: true,
                        label: `remove ${cut.name}`,
                        onClick: () => edit([{ type: 'removeCut', cutId: cut.id }], 'remove a version'),
                      },
                    ]
                  : []),
                { type: 'divider' as const },
                { key: 'head', label: 'the film starts at the playhead', onClick: () => edit([{ type: 'keep', start: engine.now() }], 'trim the head') },
                { key: 'tail', label: 'the film ends at the playhead', onClick: () => edit([{ type: 'keep', end: engine.now() }], 'trim the tail') },
                ...(reachesPast
                  ? [
                      {
                        key: 'event',
                        label: 'the film covers all that was recorded',
                        onClick: () => edit([{ type: 'keep', ...engine.event }], 'film all that was recorded'),
                      },
                    ]
                  : []),
                ...(leftOut.length > 0
                  ? [
                      {
                        key: 'whole',
                        label: 'bring back all of the master that was left out',
                        onClick: () => edit([{ type: 'wholeMaster', cutId: cut.id }], 'keep the whole'),
                      },
                    ]
                  : []),
              ],
            }}
          >
            <button type="button" className="chip" aria-label="Versions of the cut">
              {cut.name} · {cutsOf(points.length)} ▾
            </button>
          </Dropdown>
          <Pieces project={project} edit={edit} />
          <Parts project={project} />
          <span className="spring" />
          <span className="quiet">{outside ? 'outside the master' : bar}</span>
          <MasterTime settings={settings} />
          <Button
            type="text"
            size="small"
            aria-label={playing ? 'Stop' : 'Play'}
            icon={playing ? <Pause size={16} /> : <Play size={16} />}
            onClick={() => engine.toggle()}
          />
          <Follow />
          <span className="quiet" style={{ width: 26 }}>
            {playing && speed !== 1 ? `${speed}×` : ''}
          </span>
          <span className="spring" />
          <Popover
            trigger="click"
            title="What pulls cuts to itself"
            content={
              <div style={{ display: 'grid', gap: 10, width: 280 }}>
                <Segmented
                  block
                  options={MAGNETS.map((m) => ({ value: m, label: m, title: PULLS[m] }))}
                  value={settings.magnet}
                  onChange={(magnet) => edit([{ type: 'settings', change: { magnet } }], 'set the magnet')}
                />
                <span className="quiet">{PULLS[settings.magnet]}</span>
                <label htmlFor="lead">
                  lead, frames before it{' '}
                  <InputNumber
                    id="lead"
                    size="small"
                    min={-50}
                    max={50}
                    value={settings.lead}
                    onChange={(v) => edit([{ type: 'settings', change: { lead: Math.round(v ?? 0) } }], 'set the lead')}
                  />
                </label>
                <label htmlFor="touch-lag">
                  my touch lag, ms <InputNumber id="touch-lag" size="small" min={-200} max={500} value={lag} onChange={(v) => setTouchLag(v ?? 0)} />
                </label>
              </div>
            }
          >
            <button type="button" className="chip">
              magnet: {settings.magnet}
              {settings.lead !== 0 ? ` · lead ${settings.lead} f` : ''}
            </button>
          </Popover>
          <LatePictures />
        </>,
      )}
      <div style={{ height: '45%', flex: 'none', position: 'relative' }}>
        <Wall project={project} spans={spans} chosenAngle={chosen} onChoose={chooseAngle} />
        <RangeBar project={project} edit={edit} range={range} onRange={setRange} />
      </div>
      <Score project={project} spans={spans} points={points} actions={actions} chosenAngle={chosen} range={range} zoomRef={zoomRef} />
    </>
  )
}

function LatePictures() {
  const late = useEngine((s) => s.health.late)
  const many = useEngine(({ health }) => health.due > 0 && health.late / health.due > 0.05)
  return (
    <span className="quiet" title="Pictures that were not decoded in time since playing began" style={{ color: many ? '#f0c46a' : undefined }}>
      {late} late
    </span>
  )
}

function cutsOf(points: number): string {
  const cuts = Math.max(0, points - 1)
  return points === 0 ? 'no cut yet' : `${cuts} cut${cuts === 1 ? '' : 's'}`
}

function nextName(count: number): string {
  return `Cut ${String.fromCharCode(65 + (count % 26))}`
}

/** The mark within `reach` seconds, if any: a dragged cut is pulled only when it comes close. */
function near(marks: readonly Flicks[], time: Flicks, reach: number): readonly Flicks[] {
  const i = nearestIndex(marks, time)
  return i >= 0 && Math.abs(marks[i] - time) < reach * FLICKS_PER_SECOND ? [marks[i]] : []
}

function barLabel(pulse: { beats: Flicks[]; downbeats: number[] }, time: Flicks): string {
  let beat = nearestIndex(pulse.beats, time)
  if (beat >= 0 && pulse.beats[beat] > time) beat--
  if (beat < 0 || time - pulse.beats[beat] > 2 * FLICKS_PER_SECOND) return ''
  const bar = pulse.downbeats.findLastIndex((d) => d <= beat)
  return bar < 0 ? '' : `bar ${bar + 1}.${beat - pulse.downbeats[bar] + 1}`
}
