import type { ProjectState } from '@pendolo/api'
import { channelsOf } from '@pendolo/core/mix'
import { anglesInUse, stripOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { Button, Checkbox, Input, Segmented, Tooltip } from 'antd'
import { Headphones } from 'lucide-react'
import { Fragment, useEffect, useMemo, useRef, useState } from 'react'
import { Link } from 'react-router'
import { filmFor } from '../playback/film.ts'
import { channelAlone, eventOf, playSounds } from '../playback/model.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import { usePaperColours } from '../score/colours.ts'
import { MasterTime } from '../score/master-time.tsx'
import { Playhead } from '../score/playhead.tsx'
import { useSize } from '../score/time-view.ts'
import { useEventView } from '../score/use-event-view.ts'
import type { StageProps } from '../stage.ts'
import { useKept, useKeptEach } from '../ui/kept.ts'
import { Paper } from '../ui/paper.tsx'
import { useStable } from '../ui/stable.ts'
import { BalancedPicture } from './balanced-picture.tsx'
import { DrawLevels } from './draw-levels.tsx'
import { Foot } from './foot.tsx'
import { LoudnessChip, LoudnessRow, useLoudness } from './loudness.tsx'
import { Ribbon, type Seen, seenStretches, stretchAt } from './ribbon.tsx'
import { levelEdit, onEdit, type SoundRow as Row, rowsFound, soundRows, stripEdit } from './rows.ts'
import { LOOKS_AT_PROGRAMME, Shapes } from './shapes.tsx'
import { type Alone, NAMES, type RowActs, SoundRow } from './sound-row.tsx'
import { StripPanel } from './strip-panel.tsx'
import { useRange } from './use-range.ts'
import { useUnfolded } from './use-unfolded.ts'

/** Which sounds are heard when and how, and how pictures of another shape sit in the frame. */
export function Balance(props: StageProps) {
  const { doc, files } = props.project
  const sounds = Object.values(doc.clips).some((c) => c.state === 'in' && doc.placements[c.id] && files.find((f) => f.id === c.fileId)?.facts.audio)
  return sounds ? <Sounds {...props} /> : <Nothing {...props} />
}

function Nothing({ project, top }: StageProps) {
  return (
    <>
      {top(<span className="spring" />)}
      <Paper className="body">
        <div className="empty">
          <h2>Nothing to balance yet</h2>
          <p>When a master is chosen and cameras are lined up, their sounds stand here one below the other.</p>
          <Link to={`/${project.id}/gather`}>
            <Button type="primary">Gather</Button>
          </Link>
        </div>
      </Paper>
    </>
  )
}

function Sounds({ project, edit, top }: StageProps) {
  const { doc } = project
  const playing = useEngine((s) => s.playing)
  const [kept, compare] = useCompare(doc)
  const [alone, hearAlone] = useAlone(project, kept)
  const [unfolded, setUnfolded] = useState<ReadonlySet<string>>(new Set(Object.keys(doc.groups ?? {})))
  const [find, setFind] = useState('')
  const [onlyHeard, setOnlyHeard] = useState(false)
  const [picked, setPicked] = useState<readonly string[]>([])
  const [side, setSide] = useState<'sound' | 'picture'>('sound')
  const [picturing, setPicturing] = useState(LOOKS_AT_PROGRAMME)
  const all = useKeptEach(useMemo(() => soundRows(project, find ? everyKey(project) : unfolded), [project, unfolded, find]))
  const measured = useLoudness(project)
  const every = useMemo(() => soundRows(project, everyKey(project)), [project])
  const event = eventOf(project)
  const rows = rowsFound(all, find, onlyHeard)
  const chosen = rows.filter((r) => picked.includes(r.key))
  const shown = chosen[0] ?? rows[0] ?? all[0]
  const film = filmFor(project)
  const plan = useMemo(() => seenStretches(film.plan()), [film])
  const selected = chosen.length > 0 ? chosen : shown ? [shown] : []
  const ranged = useRange({ doc, rows, chosen: selected, onChosen: setPicked, edit, stretchAt: (time) => stretchAt(plan, time) })
  const clips = Object.values(doc.clips).filter((c) => c.state === 'in' && doc.placements[c.id] && project.files.find((f) => f.id === c.fileId)?.facts.audio)
  const heard = clips.filter((c) => stripOf(doc, c.id).on).length
  const acts = useStable({ ...rowActs({ project, edit, rows, setPicked, setUnfolded, setRange: ranged.setRange, hearAlone }) })
  return (
    <>
      {top(
        <>
          <span>
            {heard} of {clips.length} sounds heard
          </span>
          {alone && (
            <Button size="small" type="primary" icon={<Headphones size={14} />} onClick={() => hearAlone(null)}>
              only one channel is heard: hear all again
            </Button>
          )}
          <DrawLevels projectId={project.id} doc={doc} rows={every} seen={plan} whole={{ from: event.start, to: event.end }} edit={edit} />
          {compare}
          <span className="spring" />
          <MasterTime settings={doc.settings} />
          <Button type="text" size="small" onClick={() => engine.toggle()}>
            {playing ? 'Stop' : 'Play'}
          </Button>
          <span className="spring" />
          <LoudnessChip project={project} measured={measured} />
        </>,
      )}
      <div className="balance">
        <div className={side !== 'picture' ? 'upper' : picturing.scopes ? 'upper pictures measured' : 'upper pictures'}>
          <BalancedPicture project={project} picturing={side === 'picture' ? picturing : LOOKS_AT_PROGRAMME} edit={edit} />
          <div className="beside">
            <Segmented
              size="small"
              aria-label="What is balanced"
              value={side}
              onChange={setSide}
              options={[
                { value: 'sound' as const, label: 'Sound' },
                { value: 'picture' as const, label: 'Picture' },
              ]}
            />
            {side === 'picture' ? (
              <Shapes
                project={project}
                picturing={picturing}
                edit={edit}
                onPicturing={setPicturing}
                stretch={() => ranged.range ?? stretchAt(plan, engine.now())}
              />
            ) : (
              shown && (
                <StripPanel
                  key={shown.key}
                  project={project}
                  range={ranged.range}
                  row={shown}
                  rows={selected}
                  groups={Object.values(doc.groups ?? {})}
                  edit={edit}
                />
              )
            )}
          </div>
        </div>
        <Paper className="sounds">
          <Rows
            project={project}
            rows={rows}
            chosen={new Set(selected.map((r) => r.key))}
            plan={plan}
            unfolded={unfolded}
            alone={alone}
            ranged={ranged}
            measured={measured}
            acts={acts}
            head={
              <>
                <Input size="small" allowClear placeholder="Find a sound" value={find} onChange={(e) => setFind(e.target.value)} aria-label="Find a sound" />
                <Checkbox checked={onlyHeard} onChange={(e) => setOnlyHeard(e.target.checked)}>
                  heard
                </Checkbox>
              </>
            }
          />
          <Foot
            settings={doc.settings}
            range={ranged.range}
            rows={selected}
            others={rows.filter((r) => !selected.includes(r))}
            fade={ranged.fade}
            onFade={ranged.setFade}
            acts={ranged.acts}
          />
        </Paper>
      </div>
    </>
  )
}

/** All that can be folded away. */
const everyKey = ({ doc }: ProjectState): ReadonlySet<string> => new Set([...Object.keys(doc.groups ?? {}), ...Object.keys(doc.clips)])

function rowActs({
  project,
  edit,
  rows,
  setPicked,
  setUnfolded,
  setRange,
  hearAlone,
}: Pick<StageProps, 'project' | 'edit'> & {
  readonly rows: readonly Row[]
  readonly setPicked: (change: (old: readonly string[]) => readonly string[]) => void
  readonly setUnfolded: (change: (old: ReadonlySet<string>) => ReadonlySet<string>) => void
  readonly setRange: ReturnType<typeof useRange>['setRange']
  readonly hearAlone: (alone: Alone | null) => void
}): RowActs {
  const rowOf = (key: string) => rows.find((r) => r.key === key) as Row
  const choose: RowActs['onChoose'] = (key, { shiftKey, ctrlKey, metaKey }) =>
    setPicked((old) => {
      if (ctrlKey || metaKey) return old.includes(key) ? old.filter((k) => k !== key) : [...old, key]
      const last = rows.findIndex((r) => r.key === old[old.length - 1])
      if (!shiftKey || last < 0) return [key]
      const at = rows.findIndex((r) => r.key === key)
      const between = rows.slice(Math.min(last, at), Math.max(last, at) + 1).map((r) => r.key)
      return [...old.filter((k) => !between.includes(k)), ...between]
    })
  return {
    onChoose: choose,
    onSeek: (time) => engine.seek(time),
    onRange: (key, stretch) => {
      setPicked((old) => (old.includes(key) ? old : [key]))
      setRange(stretch)
    },
    onPoints: (key, points, label) => edit([levelEdit(rowOf(key), points)], label),
    onRangeChange: (range, label) => edit([{ type: 'mixRanges', ranges: [range] }], label),
    onOn: (row, on) => edit([onEdit(row, on)], row.kind === 'channel' ? (on ? 'switch a channel on' : 'switch a channel off') : 'hear, or not'),
    onStrip: (row, change) => edit([stripEdit(row, change)], 'balance the sound'),
    onRename: (row, name) =>
      row.clip && row.channel && edit([{ type: 'channel', clipId: row.clip.id, channel: row.channel.key, change: { name } }], 'name a channel'),
    onFold: (key) => setUnfolded((old) => (old.has(key) ? new Set([...old].filter((k) => k !== key)) : new Set([...old, key]))),
    onAlone: hearAlone,
    onAll: (clipId, on) => {
      const file = project.files.find((f) => f.id === project.doc.clips[clipId].fileId)
      const channels = file?.facts.audio ? channelsOf(file.facts.audio) : []
      edit(
        channels.map((c) => ({ type: 'channel', clipId, channel: c.key, change: { on } })),
        on ? 'all channels on' : 'all channels off',
      )
    },
  }
}

interface RowsProps {
  readonly project: ProjectState
  readonly rows: readonly Row[]
  readonly chosen: ReadonlySet<string>
  readonly plan: readonly Seen[]
  readonly unfolded: ReadonlySet<string>
  readonly alone: Alone | null
  readonly ranged: ReturnType<typeof useRange>
  readonly measured: ReturnType<typeof useLoudness>
  readonly acts: RowActs
  /** What stands beside the ribbon. */
  readonly head: React.ReactNode
}

const RIBBON = 32

/** The sounds one below the other under the cut, with one playhead over all of them. */
function Rows({ project, rows, chosen, plan, unfolded, alone, ranged, measured, acts, head }: RowsProps) {
  const { doc } = project
  const colours = usePaperColours()
  const event = eventOf(project)
  const whole = useKept({ from: event.start / FLICKS_PER_SECOND, span: Math.max(1, (event.end - event.start) / FLICKS_PER_SECOND) })
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const plot = Math.max(10, width - NAMES)
  const { view } = useEventView(ref, whole, { left: NAMES, plot, head: RIBBON, keys: 'zoomSounds' })
  const last = [...chosen].at(-1)
  const scroller = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (last) scroller.current?.querySelector('.sound-row.chosen')?.scrollIntoView({ block: 'nearest' })
  }, [last])
  useUnfolded(
    scroller,
    unfolded,
    rows.map((row) => row.key),
  )
  const channels = (clipId: string, name: string, list: readonly Row[]) => (
    <div key={`${clipId} below`} role="group" aria-label={`Channels of ${name}`}>
      {list.map(one)}
      <div className="channel-all">
        <Button size="small" type="link" onClick={() => acts.onAll(clipId, true)}>
          All on
        </Button>
        <Button size="small" type="link" onClick={() => acts.onAll(clipId, false)}>
          All off
        </Button>
        <span className="quiet">What is off is heard nowhere: not here, not in the film. Placing hears all.</span>
      </div>
    </div>
  )
  const one = (row: Row) => (
    <SoundRow
      key={row.key}
      row={row}
      placement={row.clip ? doc.placements[row.clip.id] : null}
      drawn={doc.envelopes[row.key] ?? NOTHING}
      view={view}
      chosen={chosen.has(row.key)}
      range={chosen.has(row.key) ? ranged.range : null}
      open={unfolded.has(row.key)}
      alone={alone}
      colours={colours}
      acts={acts}
    />
  )
  /** Rows, the channels of a clip that stand right below it as one part. */
  const parts: React.ReactNode[] = []
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i]
    const own: Row[] = []
    if (row.kind === 'clip') while (rows[i + 1]?.kind === 'channel' && rows[i + 1].clip?.id === row.clip?.id) own.push(rows[++i])
    parts.push(one(row))
    if (own.length > 0 && row.clip) parts.push(channels(row.clip.id, row.about, own))
  }
  return (
    <div className="sounds-scroll" ref={scroller}>
      <div ref={ref} style={{ position: 'relative' }}>
        <div className="ribbon-row" style={{ height: RIBBON }}>
          <div className="who">{head}</div>
          <Ribbon plan={plan} angles={anglesInUse(doc)} view={view} range={ranged.range} onRange={ranged.setRange} onSeek={(t) => engine.seek(t)} />
        </div>
        {measured.curve && <LoudnessRow curve={measured.curve} stale={measured.stale} runs={filmFor(project).runs} view={view} colours={colours} />}
        {parts}
        {rows.length === 0 && (
          <p className="quiet" style={{ padding: 16 }}>
            No sound is called so.
          </p>
        )}
        <Playhead view={view} left={NAMES} width={plot} height={height} />
      </div>
    </div>
  )
}
const NOTHING = {}

/** All that makes the mix. */
type KeptMix = Pick<ProjectState['doc'], 'strips' | 'groups' | 'mixRanges' | 'envelopes'>
const mixOf = ({ strips, groups, mixRanges, envelopes }: ProjectState['doc']): KeptMix => ({ strips, groups, mixRanges, envelopes })

/** The mix as it is now is kept for a while, and heard instead of what it became. @returns the one that is heard instead, if one is, and the controls */
function useCompare(doc: ProjectState['doc']): [KeptMix | null, React.ReactNode] {
  const [kept, setKept] = useState<KeptMix | null>(null)
  const [hears, setHears] = useState(false)
  if (!kept)
    return [
      null,
      <Tooltip key="keep" title="keeps the mix as it is now, to be heard against what it becomes">
        <Button size="small" type="text" onClick={() => setKept(mixOf(doc))}>
          Keep to compare
        </Button>
      </Tooltip>,
    ]
  const end = () => {
    setKept(null)
    setHears(false)
  }
  return [
    hears ? kept : null,
    <Fragment key="compare">
      <Segmented
        size="small"
        aria-label="Which mix is heard"
        value={hears}
        onChange={setHears}
        options={[
          { value: false, label: 'now' },
          { value: true, label: 'kept' },
        ]}
      />
      <Button size="small" type="text" onClick={end}>
        End
      </Button>
    </Fragment>,
  ]
}

/** The channel that is heard by itself, if one is; choosing one begins to play. @param kept a mix that is heard instead of the project's */
function useAlone(project: ProjectState, kept: KeptMix | null): [Alone | null, (wanted: Alone | null) => void] {
  const [alone, setAlone] = useState<Alone | null>(null)
  useEffect(() => {
    if (alone) engine.listenTo(channelAlone(project, alone.clipId, alone.key))
    else engine.listenTo(kept ? playSounds({ ...project, doc: { ...project.doc, ...kept } }) : null)
  }, [alone, kept, project])
  useEffect(() => () => engine.listenTo(null), [])
  const hear = (wanted: Alone | null) => {
    setAlone(wanted)
    if (wanted && !engine.getState().playing) void engine.play()
  }
  return [alone, hear]
}
