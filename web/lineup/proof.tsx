import { type ProjectState, whyText } from '@pendolo/api'
import type { Clip, Edit, Placement } from '@pendolo/core/project'
import { projectRate } from '@pendolo/core/project'
import {
  FLICKS_PER_SECOND,
  type Flicks,
  flicks,
  masterToClip,
  placementFromSeconds,
  printLength,
  printTimecode,
  readTimecode,
  TimecodeError,
  ZERO,
} from '@pendolo/core/time'
import { App, Button, Input } from 'antd'
import { Fragment, type ReactNode, useState } from 'react'
import { Area, AreaChart, CartesianGrid, ReferenceLine, ResponsiveContainer, Scatter, ScatterChart, Tooltip, XAxis, YAxis } from 'recharts'
import { proofStamp, useProof } from '../data/queries.ts'
import { newId } from '../ids.ts'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { keyText } from '../ui/keymap.ts'
import { Own } from '../ui/own.tsx'
import { Speed } from './speed.tsx'
import { Take, takeNames } from './take.tsx'

const SIGN = { sure: '●', check: '◐', loose: '○' } as const

interface ProofProps extends Pick<StageProps, 'edit'> {
  readonly project: ProjectState
  readonly clip: Clip
  readonly placement: Placement | null
  readonly flam: boolean
  readonly onFlam: () => void
  readonly onSearchNear: () => void
  readonly onSearchSpeed: (speed: number | 'any') => void
  readonly points: ReactNode
}

/** How sure a place is and why, the next-best, and what to do about it. */
export function Proof({ project, clip, placement, edit, flam, onFlam, onSearchNear, onSearchSpeed, points }: ProofProps) {
  const { doc, files } = project
  const file = files.find((f) => f.id === clip.fileId)
  const angle = doc.angles.find((a) => a.id === clip.angleId)
  const siblings = Object.values(doc.clips).filter((c) => c.angleId === clip.angleId && c.state !== 'aside')
  const { data: proof } = useProof(project.id, doc.proofs[clip.id] !== undefined || file?.facts.audio ? clip.id : null, proofStamp(project, clip.id))
  const rate = projectRate(doc.settings)
  const style = { rate, dropFrame: doc.settings.dropFrame }
  const verdict = placement?.verdict ?? 'loose'
  const facts = placement?.why ?? doc.loose[clip.id]
  const why = clip.state === 'parked' ? 'parked: it belongs here but is not placed' : facts ? whyText(facts) : 'not tried yet'
  const length = file?.facts.durationSeconds ?? 0
  const rival = proof?.proof.rivals.find((r) => placement && Math.abs(r.startSeconds - placement.start / FLICKS_PER_SECOND) > 0.02)
  /** @param whole keeps the jumps in the recording; a place of another kind has its own */
  const placeAt = (start: Flicks, speed: number, why2: string, whole = false) =>
    edit(
      [
        {
          type: 'place',
          by: 'hand',
          placements: {
            [clip.id]: {
              start,
              rate: speed,
              ...(whole && placement?.jumps && { jumps: placement.jumps }),
              method: 'hand',
              verdict: 'check',
              confidence: 0.5,
              why: [{ code: 'by-hand', how: why2 }],
              locked: false,
            },
          },
          loose: {},
        },
      ],
      'place by hand',
    )
  return (
    <>
      <h3>
        {angle?.name}
        {siblings.length > 1 && ` · file ${siblings.findIndex((c) => c.id === clip.id) + 1} of ${siblings.length}`}
      </h3>
      <div className="mono quiet">{file?.name}</div>
      {takeNames(doc).length > 0 && <Take key={`${clip.id}${clip.take}`} project={project} clip={clip} edit={edit} />}
      <p style={{ margin: '6px 0' }} role="status" aria-label="Verdict">
        <span style={{ color: verdict === 'sure' ? '#9fc27b' : '#e0b055' }}>
          {SIGN[verdict]} {verdict}
        </span>{' '}
        <span className="quiet">— {why}</span>
      </p>
      {proof && proof.proof.curve.length > 0 && (
        <Curve proof={proof.proof} chosen={placement ? placement.start / FLICKS_PER_SECOND : null} rival={rival?.startSeconds ?? null} />
      )}
      <Facts project={project} placement={placement} proof={proof?.proof ?? null} rival={rival} length={length} />
      {proof && proof.proof.windows.length > 1 && placement && <Drift windows={proof.proof.windows} of={LAGS[proof.proof.by ?? 'sound']} />}
      <Buttons
        clip={clip}
        placement={placement}
        edit={edit}
        flam={flam}
        onFlam={onFlam}
        onSearchNear={file?.facts.audio ? onSearchNear : null}
        rival={rival}
        placeAt={placeAt}
      />
      {!placement?.locked && (
        <TypedStart
          key={`${clip.id}${placement?.start}`}
          placement={placement}
          style={style}
          startFrame={doc.settings.startFrame}
          sampleRate={file?.facts.audio?.sampleRate ?? 48000}
          onStart={(start) => placeAt(start, placement?.rate ?? 1, 'start typed by hand', true)}
        />
      )}
      {!placement?.locked && (
        <Speed
          key={`speed${clip.id}${placement?.rate}`}
          placement={placement}
          video={file?.facts.video ?? null}
          onShow={(speed) => {
            // What is shown at the playhead stays there; what has no place begins there.
            const own = placement ? masterToClip(engine.now(), placement) : ZERO
            placeAt(flicks(Math.round(engine.now() - speed * own)), speed, `shown at ${speed} × from the playhead on, by hand`)
          }}
          onAgain={(speed) => edit(shownAgain(clip, placement, speed), 'show it once more at another speed')}
          onSearch={file?.facts.audio ? onSearchSpeed : null}
        />
      )}
      {points}
      {placement && (
        <p className="quiet">
          {keyText('nudgeClip')} a frame · Shift a tenth · Alt a millisecond · {keyText('flam')} flam check · {keyText('accept')} accepts
        </p>
      )}
    </>
  )
}

/** The same recording once more on its angle, another take that shows at the playhead what the first shows there, at another speed. */
function shownAgain(clip: Clip, placement: Placement | null, speed: number): Edit[] {
  const id = newId()
  const own = placement ? masterToClip(engine.now(), placement) : ZERO
  const again: Placement = {
    start: flicks(Math.round(engine.now() - speed * own)),
    rate: speed,
    method: 'hand',
    verdict: 'check',
    confidence: 0.5,
    why: [{ code: 'by-hand', how: `the same recording once more, at ${speed} × from the playhead on` }],
    locked: false,
  }
  return [
    { type: 'addClips', angles: [], clips: [{ id, fileId: clip.fileId, angleId: clip.angleId, state: 'in' }] },
    { type: 'place', by: 'hand', placements: { [id]: again }, loose: {} },
  ]
}

type Rival = PlaceProof['rivals'][number] | undefined

/** What a proof counts, by the way it came about. */
const COUNTED: Record<NonNullable<PlaceProof['by']> | 'sound', ReactNode> = {
  sound: <Own word="windows" />,
  light: 'changes of light',
  timecode: 'recordings',
  time: 'clocks',
}
/** What lags are of, and how far they are drawn, ms. */
const LAGS = {
  sound: { name: 'window', mostMs: 6 },
  light: { name: 'change of light', mostMs: 200 },
  timecode: { name: 'recording', mostMs: 200 },
  time: { name: 'clock', mostMs: 200 },
} as const

/** Where it lies, how its clock runs, and what the sound said. */
function Facts({
  project,
  placement,
  proof,
  rival,
  length,
}: {
  project: ProofProps['project']
  placement: Placement | null
  proof: PlaceProof | null
  rival: Rival
  /** Length of the clip, s. */
  length: number
}) {
  const { settings } = project.doc
  const rate = projectRate(settings)
  const style = { rate, dropFrame: settings.dropFrame }
  const verdict = placement?.verdict ?? 'loose'
  const ppm = placement ? (placement.rate - 1) * 1e6 : 0
  return (
    <dl className="facts">
      {placement && (
        <>
          <dt>starts on the master at</dt>
          <dd>{startLabel(placement.start, style, settings.startFrame)}</dd>
          <dt>{Math.abs(ppm) > 10_000 ? 'speed' : <Own word="clock" />}</dt>
          <dd>
            {Math.abs(ppm) > 10_000
              ? `${placement.rate.toFixed(5)} × (shown slower, in time)`
              : `${ppm >= 0 ? '+' : ''}${ppm.toFixed(1)} ppm (${Math.abs(((ppm / 1e6) * length * rate.num) / rate.den).toFixed(2)} f at the end)`}
          </dd>
        </>
      )}
      {proof?.chosen && (
        <>
          <dt>{COUNTED[proof.by ?? 'sound']} that agree</dt>
          <dd>
            {proof.chosen.agreeing} of {proof.chosen.windows}
          </dd>
          <dt>
            <Own word="next-best place" />
          </dt>
          <dd>{rival ? `${rival.startSeconds.toFixed(2)} s, ${proof.rivalRatio.toFixed(2)}×` : 'none'}</dd>
          {proof.jumps?.map((jump) => (
            <Fragment key={jump.clipSeconds}>
              <dt>jump in the recording</dt>
              <dd>
                {jump.bySeconds > 0 ? '+' : '−'}
                {Math.abs(jump.bySeconds * 1000).toFixed(1)} ms near {printLength(jump.clipSeconds)}
              </dd>
            </Fragment>
          ))}
          {proof.invertedPolarity && verdict !== 'loose' && (
            <>
              <dt>
                <Own word="polarity" />
              </dt>
              <dd>turned</dd>
            </>
          )}
        </>
      )}
    </dl>
  )
}

interface ButtonsProps extends Pick<ProofProps, 'clip' | 'placement' | 'edit' | 'flam' | 'onFlam'> {
  readonly rival: Rival
  /** null where there is no sound to search. */
  readonly onSearchNear: (() => void) | null
  readonly placeAt: (start: Flicks, speed: number, why: string) => unknown
}

/** What can be done about a place. */
function Buttons({ clip, placement, edit, flam, onFlam, onSearchNear, rival, placeAt }: ButtonsProps) {
  return (
    // A button that was clicked gives the keys back: Enter accepts, it does not press the same button again.
    // biome-ignore lint/a11y/noStaticElementInteractions: it only watches clicks on the buttons within
    // biome-ignore lint/a11y/useKeyWithClickEvents: who uses keys keeps the focus
    <div className="buttons" onClick={(e) => e.detail > 0 && document.activeElement instanceof HTMLElement && document.activeElement.blur()}>
      {placement && (
        <>
          <Button type="primary" size="small" onClick={() => edit([{ type: 'accept', clipIds: [clip.id] }], 'accept')} disabled={placement.verdict === 'sure'}>
            Accept
          </Button>
          <Button size="small" onClick={onFlam} aria-pressed={flam}>
            <Own word="flam check">{flam ? 'End the flam check' : 'Flam check'}</Own>
          </Button>
          <Button size="small" onClick={() => edit([{ type: 'lock', clipIds: [clip.id], locked: !placement.locked }], placement.locked ? 'unlock' : 'lock')}>
            {placement.locked ? 'Unlock' : 'Lock'}
          </Button>
          {rival && !placement.locked && (
            <Button
              size="small"
              onClick={() => placeAt(placementFromSeconds(rival.startSeconds, rival.rate).start, rival.rate, 'the next-best place, taken by you')}
            >
              Take next-best
            </Button>
          )}
        </>
      )}
      {!placement?.locked && (
        <>
          {onSearchNear && (
            <Button size="small" onClick={onSearchNear}>
              Search near the playhead
            </Button>
          )}
          <Button size="small" onClick={() => placeAt(engine.now(), 1, 'its start put at the playhead by hand')}>
            Start at the playhead
          </Button>
          <Button
            size="small"
            onClick={() =>
              edit([{ type: 'park', clipIds: [clip.id], parked: clip.state !== 'parked' }], clip.state === 'parked' ? 'take from parking' : 'park')
            }
          >
            {clip.state === 'parked' ? 'Take back' : <Own word="park">Park</Own>}
          </Button>
        </>
      )}
    </div>
  )
}

function startLabel(start: Flicks, style: Parameters<typeof printTimecode>[1], startFrame: number): string {
  const label = printTimecode(start, style, startFrame)
  const rest = start - readTimecodeSafe(label, style, startFrame)
  return `${label} +${((rest / FLICKS_PER_SECOND) * 1000).toFixed(1)} ms`
}

function readTimecodeSafe(label: string, style: Parameters<typeof printTimecode>[1], startFrame: number): number {
  try {
    return readTimecode(label, style, startFrame)
  } catch {
    return 0
  }
}

function TypedStart({
  placement,
  style,
  startFrame,
  sampleRate,
  onStart,
}: {
  placement: Placement | null
  sampleRate: number
  style: Parameters<typeof printTimecode>[1]
  startFrame: number
  onStart: (start: Flicks) => void
}) {
  const { message } = App.useApp()
  const [text, setText] = useState('')
  const take = () => {
    try {
      onStart(readStart(text, style, startFrame, sampleRate, placement?.start ?? null))
      setText('')
    } catch (error) {
      void message.warning(error instanceof Error ? error.message : String(error))
    }
  }
  return (
    <div style={{ display: 'flex', gap: 6, marginTop: 8 }}>
      <Input
        size="small"
        className="mono"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onPressEnter={take}
        aria-label="Start on the master"
        placeholder={placement ? '00:01:07:11, −3.2 s, +2 f to move it' : '00:01:07:11, −3.2 s, 12 f, 4800 samples'}
      />
      <Button size="small" onClick={take} disabled={text.trim() === ''}>
        Place
      </Button>
    </div>
  )
}

/**
 * Reads a start as timecode, seconds ("−3.2 s"), frames ("12 f") or samples; an amount with a plus, or with "by" before
 * it, moves a clip that has a place from where it is.
 */
function readStart(text: string, style: Parameters<typeof printTimecode>[1], startFrame: number, sampleRate: number, from: Flicks | null): Flicks {
  const clean = text.trim().replace('−', '-')
  const amount = /^(by\s+)?([+-]?)(\d+(?:[.,]\d+)?)\s*(s|ms|f|samples?)$/i.exec(clean)
  if (amount) {
    const value = Number(`${amount[2]}${amount[3].replace(',', '.')}`)
    const unit = amount[4].toLowerCase()
    const seconds = unit === 's' ? value : unit === 'ms' ? value / 1000 : unit === 'f' ? (value * style.rate.den) / style.rate.num : value / sampleRate
    const moves = from !== null && (amount[1] !== undefined || amount[2] === '+')
    return flicks(Math.round(seconds * FLICKS_PER_SECOND) + (moves ? from : 0))
  }
  try {
    return readTimecode(clean, style, startFrame)
  } catch (error) {
    throw error instanceof TimecodeError ? new Error(`${error.message}, or seconds like −3.2 s, frames like 12 f, or samples`) : error
  }
}

type PlaceProof = NonNullable<ReturnType<typeof useProof>['data']>['proof']

function Curve({ proof, chosen, rival }: { proof: PlaceProof; chosen: number | null; rival: number | null }) {
  const data = proof.curve.map((score, i) => ({ at: proof.curveStart + i * proof.curveStep, score }))
  const crowded = chosen !== null && rival !== null && Math.abs(rival - chosen) < data.length * proof.curveStep * 0.12
  /** Words at a line: over it, near an end beside it. */
  const words = (value: string, fill: string, at: number) => {
    const share = (at - proof.curveStart) / Math.max(1e-9, (data.length - 1) * proof.curveStep)
    const position = share < 0.1 ? 'insideTopLeft' : share > 0.9 ? 'insideTopRight' : 'top'
    return { value, fill, fontSize: 11, position, offset: 4 } as const
  }
  return (
    <figure style={{ margin: 0 }} aria-label="How well each place fits">
      <ResponsiveContainer width="100%" height={86}>
        <AreaChart data={data} margin={{ top: 12, right: 4, bottom: 0, left: 4 }}>
          <XAxis dataKey="at" type="number" domain={['dataMin', 'dataMax']} hide />
          <YAxis hide domain={[0, 'dataMax']} />
          <Tooltip
            contentStyle={{ background: '#202226', border: '1px solid #3c3f45', fontSize: 12 }}
            formatter={(v) => [Number(v).toFixed(1), 'fit']}
            labelFormatter={(v) => `start at ${Number(v).toFixed(1)} s`}
          />
          {rival !== null && (
            <ReferenceLine x={rival} stroke="#8d8c87" strokeDasharray="3 3" label={crowded ? undefined : words('next-best', '#9b9993', rival)} />
          )}
          {chosen !== null && <ReferenceLine x={chosen} stroke="#f1ead9" strokeDasharray="2 4" label={words('chosen', '#f1ead9', chosen)} />}
          <Area dataKey="score" stroke="#c9973f" fill="#c9973f" fillOpacity={0.18} isAnimationActive={false} dot={false} />
        </AreaChart>
      </ResponsiveContainer>
    </figure>
  )
}

function Drift({ windows, of: { name, mostMs } }: { windows: PlaceProof['windows']; of: (typeof LAGS)[keyof typeof LAGS] }) {
  const data = windows.map((w) => ({ at: w.clipSeconds, lag: Math.max(-mostMs, Math.min(mostMs, w.lagMs)), agrees: w.agrees }))
  return (
    <figure style={{ margin: '4px 0 0' }} aria-label={`Lag of each ${name} over the clip`}>
      <figcaption className="quiet" style={{ fontSize: 11.5 }}>
        lag of each {name}, ms, over the clip
      </figcaption>
      <ResponsiveContainer width="100%" height={88}>
        <ScatterChart margin={{ top: 6, right: 6, bottom: 0, left: -28 }}>
          <CartesianGrid stroke="#2c2e33" />
          <XAxis
            dataKey="at"
            type="number"
            domain={['dataMin', 'dataMax']}
            tick={{ fill: '#9b9993', fontSize: 10.5 }}
            tickFormatter={(v) => `${Math.round(Number(v))} s`}
          />
          <YAxis dataKey="lag" type="number" tick={{ fill: '#9b9993', fontSize: 10.5 }} />
          <Scatter data={data.filter((d) => d.agrees)} fill="#c9973f" isAnimationActive={false} />
          <Scatter data={data.filter((d) => !d.agrees)} fill="#6b6a66" shape="cross" isAnimationActive={false} />
        </ScatterChart>
      </ResponsiveContainer>
    </figure>
  )
}
