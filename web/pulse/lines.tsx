import type { Mark, Pulse, SoundSpan } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, printLength, ZERO } from '@pendolo/core/time'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useMemo, useRef, useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import type { Wave } from '../score/peaks.ts'
import { useEveryFrame, useSize } from '../score/time-view.ts'
import { Waveforms } from '../score/waveform.tsx'
import { hueOf } from '../ui/theme.ts'
import type { Stretch } from './correct.tsx'
import { beatsIn, breakLines, LINE_SECONDS, type Line, lineAt, marksOnLine } from './layout.ts'
import { OnsetCurve } from './onsets.tsx'

const LEFT = 44
const RIGHT = 14
const HEIGHT = 112
/** How dark the strip under a line is where this is heard. */
const SPAN_INK: Record<SoundSpan['kind'], number> = { speech: 0.85, music: 0.4, applause: 0.2, silence: 0 }
/** A press that moves farther than this, px, chooses a stretch. */
const SLIP = 6
/** A beat is caught by its foot this near, px. */
const CATCH = 5
const FOOT = 74

interface Sheet {
  readonly pulse: Pulse | null
  readonly marks: readonly Mark[]
  readonly spans: readonly SoundSpan[] | null
  /** The recordings of the master. */
  readonly waves: readonly Wave[]
  /** Onset strength, or nothing before it was listened to. */
  readonly onsets: Uint8Array | null
  readonly total: number
  readonly stretch: Stretch | null
  readonly onStretch: (stretch: Stretch | null) => void
  readonly onDragBeat: (at: Flicks, to: Flicks) => void
}

const secondsOf = (t: number) => t / FLICKS_PER_SECOND
const flicksOf = (t: number) => flicks(Math.round(t * FLICKS_PER_SECOND))

/** The master laid out in lines, like printed music, with bars, beats, tempo and marks. A drag chooses a stretch; a beat is dragged by its foot. */
export function SheetLines({ pulse, marks, spans, waves, onsets, total, stretch, onStretch, onDragBeat }: Sheet) {
  const [ref, { width }] = useSize<HTMLDivElement>()
  const lines = useMemo(() => breakLines(pulse, total), [pulse, total])
  const own = width - 34
  // An evening of hours has hundreds of lines; only those in sight are drawn.
  const sheet = useVirtualizer({
    count: lines.length,
    getScrollElement: () => ref.current,
    estimateSize: () => HEIGHT,
    paddingStart: 16,
    scrollPaddingEnd: HEIGHT,
    overscan: 2,
  })
  // The line with the playhead comes into sight at first, when another is gone to, and while it plays; not because a
  // correction divided the lines anew.
  const { scrollToIndex } = sheet
  const last = useRef(-1)
  useEffect(() => {
    const here = () => lineAt(lines, engine.now() / FLICKS_PER_SECOND)
    const follow = () => {
      const at = here()
      if (at !== last.current && at >= 0) scrollToIndex(at, { align: 'auto' })
      last.current = at
    }
    if (last.current < 0) follow()
    else last.current = here()
    return engine.subscribe(follow)
  }, [lines, scrollToIndex])
  const drag = useRef<{ x: number; y: number; time: number; beat: Flicks | null; moved: boolean } | null>(null)
  const [held, setHeld] = useState<{ beat: Flicks; to: number } | null>(null)
  const spot = (event: React.PointerEvent<HTMLDivElement>) => {
    const sheets = [...event.currentTarget.querySelectorAll<HTMLElement>('[data-line]')]
    const under = sheets.findLast((s) => s.getBoundingClientRect().top <= event.clientY) ?? sheets[0]
    const box = under?.getBoundingClientRect()
    const line = lines[Number(under?.dataset.line)]
    if (!box || !line) return null
    const span = Math.max(line.to - line.from, LINE_SECONDS)
    const plot = own - LEFT - RIGHT
    const time = Math.max(line.from, Math.min(line.to - 0.001, line.from + ((event.clientX - box.left - LEFT) / plot) * span))
    return { time, y: event.clientY - box.top, perPx: span / plot }
  }
  const down = (event: React.PointerEvent<HTMLDivElement>) => {
    const here = spot(event)
    if (!here || event.button !== 0) return
    let beat: Flicks | null = null
    if (pulse && here.y >= FOOT && here.y <= FOOT + 16)
      for (const b of pulse.beats)
        if (
          Math.abs(secondsOf(b) - here.time) < CATCH * here.perPx &&
          (beat === null || Math.abs(secondsOf(b) - here.time) < Math.abs(secondsOf(beat) - here.time))
        )
          beat = b
    drag.current = { x: event.clientX, y: event.clientY, time: here.time, beat, moved: false }
    event.currentTarget.setPointerCapture(event.pointerId)
  }
  const move = (event: React.PointerEvent<HTMLDivElement>) => {
    const { current } = drag
    const here = current && spot(event)
    if (!current || !here) return
    if (Math.abs(event.clientX - current.x) > (current.beat === null ? SLIP : 1) || Math.abs(event.clientY - current.y) > HEIGHT / 2) current.moved = true
    if (!current.moved) return
    if (current.beat !== null) setHeld({ beat: current.beat, to: secondsOf(current.beat) + (event.clientX - current.x) * here.perPx })
    else onStretch({ from: flicksOf(Math.min(current.time, here.time)), to: flicksOf(Math.max(current.time, here.time)) })
  }
  const up = () => {
    const { current } = drag
    drag.current = null
    if (!current) return
    if (!current.moved) engine.seek(current.beat ?? flicksOf(current.time))
    else if (current.beat !== null && held) onDragBeat(current.beat, flicksOf(held.to))
    setHeld(null)
  }
  return (
    <div className="lines" ref={ref} onPointerDown={down} onPointerMove={move} onPointerUp={up} onPointerCancel={up}>
      <div style={{ position: 'relative', height: sheet.getTotalSize() }}>
        {width > 0 &&
          sheet
            .getVirtualItems()
            .map(({ index, start }) => (
              <SheetLine
                key={lines[index].from}
                index={index}
                top={start}
                line={lines[index]}
                width={own}
                pulse={pulse}
                marks={marksOnLine(marks, lines, index)}
                spans={spans}
                waves={waves}
                onsets={onsets}
                stretch={stretch}
                held={held}
              />
            ))}
      </div>
    </div>
  )
}

interface OneLine extends Pick<Sheet, 'pulse' | 'spans' | 'waves' | 'onsets' | 'stretch'> {
  readonly marks: ReturnType<typeof marksOnLine>
  readonly index: number
  /** Where it begins on the sheet, px. */
  readonly top: number
  readonly line: Line
  readonly width: number
  readonly held: { beat: Flicks; to: number } | null
}

function SheetLine({ index, top, line, width, pulse, marks, spans, waves, onsets, stretch, held }: OneLine) {
  const head = useRef<HTMLDivElement>(null)
  const plot = width - LEFT - RIGHT
  // Every line has the same scale unless it is longer than usual; a short one ends early, like a last line of print.
  const span = Math.max(line.to - line.from, LINE_SECONDS)
  const x = (t: number) => LEFT + ((t - line.from) / span) * plot
  const beats = beatsIn(pulse, line.from, line.to)
    .map((b) => ({ ...b, t: held?.beat === b.at ? held.to : secondsOf(b.at) }))
    .filter((b) => b.t >= line.from - 1e-6 && b.t < line.to - 1e-6)
  // The middle distance: a pause on the line is no slow beat.
  const distances = beats
    .slice(1)
    .map((b, i) => b.t - beats[i].t)
    .sort((a, b) => a - b)
  const tempo = beats.length > 3 ? 60 / distances[distances.length >> 1] : null
  useEveryFrame((now) => {
    if (!head.current) return
    const here = now >= line.from && now < line.to
    head.current.style.visibility = here ? 'visible' : 'hidden'
    if (here) head.current.style.transform = `translateX(${x(now)}px)`
  })
  /** A stretch of time as far as it lies on this line, px. */
  const shade = (range: { from: number; to: number }) => {
    const [a, b] = [Math.max(line.from, secondsOf(range.from)), Math.min(line.to, secondsOf(range.to))]
    return b > a ? { x: x(a), width: x(b) - x(a) } : null
  }
  const chosen = stretch && shade(stretch)
  const locks = (pulse?.locked ?? []).map(shade).filter((r) => r !== null)
  const step = pulse?.clarityStep ?? 0.5
  const clearFrom = secondsOf(pulse?.clarityFrom ?? ZERO)
  return (
    <div data-line={index} style={{ position: 'absolute', top, height: HEIGHT, width }}>
      <Waveforms
        waves={waves}
        from={line.from}
        to={line.to}
        style={{ position: 'absolute', left: LEFT, top: 20, width: x(line.to) - LEFT, height: 56 }}
        aria-hidden="true"
      />
      {onsets && <OnsetCurve onsets={onsets} begins={clearFrom} from={line.from} to={line.to} left={LEFT} width={x(line.to) - LEFT} />}
      <svg
        width={width}
        height={HEIGHT}
        style={{ position: 'absolute', inset: 0 }}
        role="img"
        aria-label={`from ${printLength(line.from)} to ${printLength(line.to)}, ${beats.length} beats`}
      >
        <text x={4} y={52} fontSize="13" fill="var(--ink)" style={{ fontFamily: 'var(--serif)' }}>
          {line.bar ?? printLength(line.from)}
        </text>
        {chosen && <rect x={chosen.x} y={18} width={chosen.width} height={70} fill="var(--brass)" fillOpacity={0.22} />}
        {locks.map((r) => (
          <rect key={r.x} x={r.x} y={87} width={r.width} height={4} fill="var(--brass)">
            <title>locked</title>
          </rect>
        ))}
        {/* Where the beats are less sure, the foot of the line is paler. */}
        {pulse?.clarity
          ?.map((sure, i) => ({ sure, t: clearFrom + i * step }))
          .slice(Math.max(0, Math.floor((line.from - clearFrom) / step)), Math.max(0, Math.ceil((line.to - clearFrom) / step)))
          .filter((c) => c.sure > 0 && c.t + step > line.from)
          .map((c) => (
            <rect
              key={c.t}
              x={x(Math.max(line.from, c.t))}
              y={92}
              width={Math.max(0, x(Math.min(line.to, c.t + step)) - x(Math.max(line.from, c.t)))}
              height={3}
              fill="var(--ink)"
              fillOpacity={0.08 + 0.5 * c.sure ** 2}
            />
          ))}
        {beats.map((b) => (
          <line
            key={b.at}
            x1={x(b.t)}
            x2={x(b.t)}
            y1={b.bar ? 18 : 78}
            y2={b.bar ? 86 : 86}
            stroke="var(--ink)"
            strokeWidth={b.bar ? 1.4 : 1}
            strokeOpacity={b.bar ? 0.85 : 0.6}
          />
        ))}
        {tempo !== null && (
          <text x={Math.max(LEFT, x(line.to) - 52)} y={110} fontSize="11" fill="var(--ink-quiet)">
            ♩ {tempo.toFixed(1)}
          </text>
        )}
        {spans && <SpanFeet spans={spans} shade={shade} />}
        {beats.length === 0 && pulse && !spans && (
          <text x={LEFT} y={99} fontSize="11" fill="var(--ink-quiet)">
            no pulse here
          </text>
        )}
        {marks.map(({ mark, begins, from }, i) => {
          const over = mark.end === undefined ? null : shade({ from: mark.time, to: mark.end })
          return (
            <g key={mark.id}>
              {over && <rect x={over.x} y={20} width={over.width} height={56} fill={hueOf(mark.hue)} fillOpacity={0.13} />}
              {/* A range that began on an earlier line has its flag there. */}
              {begins && <Flag mark={mark} at={x(from)} before={i > 0 ? x(marks[i - 1].from) : 0} next={marks[i + 1] && x(marks[i + 1].from)} edge={width} />}
            </g>
          )
        })}
      </svg>
      <div ref={head} className="playhead" style={{ height: 90 }} />
    </div>
  )
}

/** What is to be heard, below the line: speech, music, applause, silence. */
function SpanFeet({
  spans,
  shade,
}: {
  spans: NonNullable<Sheet['spans']>
  shade: (range: { from: number; to: number }) => { x: number; width: number } | null
}) {
  return (
    <>
      {spans
        .map((span) => ({ span, box: shade(span) }))
        .map(({ span, box }) =>
          box ? (
            <g key={span.from}>
              <rect x={box.x} y={97} width={Math.max(0, box.width - 1)} height={2} fill="var(--ink)" fillOpacity={SPAN_INK[span.kind]} />
              {box.width > 54 && span.kind !== 'silence' && (
                <text x={box.x + 1} y={109} fontSize="10.5" fontStyle="italic" fill="var(--ink-quiet)">
                  {span.kind}
                </text>
              )}
            </g>
          ) : null,
        )}
    </>
  )
}

const LETTER = 6.6

interface FlagProps {
  readonly mark: Mark
  readonly at: number
  /** Where the mark before stands, the one after if there is one, and the end of the sheet, px. */
  readonly before: number
  readonly next: number | undefined
  readonly edge: number
}

/** The name of a mark on its pole, as much of it as there is room for before the next one. */
function Flag({ mark, at, before, next, edge }: FlagProps) {
  const wanted = mark.name.length * LETTER + 12
  const room = (next ?? edge) - at - 1
  // At the end of a line the flag hangs to the left where that is free.
  const left = room < wanted && next === undefined && at - before > wanted
  const width = left ? wanted : Math.max(8, Math.min(wanted, room))
  const letters = Math.floor((width - 8) / LETTER)
  const from = left ? at - width : at
  return (
    <>
      <line x1={at} x2={at} y1={4} y2={88} stroke={hueOf(mark.hue)} strokeWidth="1.6" />
      <rect x={from} y={2} width={width} height={16} fill={hueOf(mark.hue)} rx="1.5">
        <title>{mark.name}</title>
      </rect>
      {letters > 0 && (
        <text x={from + 5} y={14} fontSize="11" fill="#fff" pointerEvents="none">
          {mark.name.length * LETTER + 12 > width + 1 ? `${mark.name.slice(0, Math.max(1, letters - 1))}…` : mark.name}
        </text>
      )}
    </>
  )
}
