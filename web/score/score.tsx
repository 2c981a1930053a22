import type { ProjectState } from '@pendolo/api'
import { differing, type Points } from '@pendolo/core/cut'
import { activeCut, layersOf, planFilm } from '@pendolo/core/film'
import { type Angle, anglesInUse, type Cut, marksOnMaster, type PictureSpan, projectRate, pulseOf, standInOrder } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, printTimecode } from '@pendolo/core/time'
import { memo, useDeferredValue, useLayoutEffect, useMemo, useRef } from 'react'
import { useMaterial } from '../data/material.ts'
import { filmFor } from '../playback/film.ts'
import { eventOf, keptOf, leftOutOf, masterRecordings, playClips, soundOnly } from '../playback/model.ts'
import { engine, useEngine, useThumbs } from '../playback/use-engine.ts'
import { Bob } from '../ui/bob.tsx'
import { usePaperColours } from './colours.ts'
import { drawScore, type ScorePicture } from './draw.ts'
import { FilmEnds } from './film-ends.tsx'
import { flagsInView } from './flags.ts'
import { type Geometry, geometryOf, HEAD, LABELS, laneTop, NAMED_LANE, OVERVIEW } from './geometry.ts'
import { drawGround, type ScoreGround, type ScoreLane } from './ground.ts'
import { Heads } from './heads.tsx'
import { LayerBand } from './layer-band.tsx'
import { layerRows } from './layer-rows.ts'
import { MarkFlags } from './mark-flags.tsx'
import { Overview } from './overview.tsx'
import type { Wave } from './peaks.ts'
import { Playhead } from './playhead.tsx'
import { useSize, useTimeView } from './time-view.ts'
import { type ScoreActions, useScoreGestures } from './use-score-gestures.ts'
import { useManyPeaks } from './waveform.tsx'

export interface ScoreProps {
  readonly project: ProjectState
  readonly spans: readonly PictureSpan[]
  readonly points: Points
  readonly actions: ScoreActions
  readonly chosenAngle: string | null
  /** A range of the master that is chosen. */
  readonly range: { readonly from: Flicks; readonly to: Flicks } | null
  /** Cuts that are chosen. */
  readonly picked: readonly Flicks[]
  /** The layer that is chosen, by its id. */
  readonly layerId: string | null
  /** A version that is compared with: where it shows something else is lit. */
  readonly other: Cut | null
  /** What the lanes show besides the cut. */
  readonly inLanes: { readonly pictures: boolean; readonly waves: boolean }
  readonly zoomRef: { current: ((factor: number) => void) | null }
}

const seconds = (time: number) => time / FLICKS_PER_SECOND

/** The drawn time surface: master, one lane an angle, and the cut as one line stepping between them. */
export const Score = memo(function Score({ project, spans, points, actions, chosenAngle, range, picked, layerId, other, inLanes, zoomRef }: ScoreProps) {
  const { doc } = project
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const material = useMaterial(project)
  const angles = useMemo(() => anglesInUse(material.doc), [material])
  const recorded = useMemo(() => eventOf(material), [material])
  // A little paper is left behind the end.
  const whole = useMemo(() => ({ from: seconds(recorded.start), span: Math.max(1, seconds(recorded.end - recorded.start) * 1.02) }), [recorded])
  const { view, zoom, move, show } = useTimeView(whole, 24)
  const rate = projectRate(doc.settings)
  zoomRef.current = (factor) => zoom(factor, seconds(engine.now()))
  const cut = activeCut(doc)
  const layers = useMemo(() => layersOf(cut), [cut])
  const rows = useMemo(() => layerRows(layers), [layers])
  const band = rows.count * rows.height
  const geometry = useMemo(() => geometryOf(width, height, angles.length, view, band), [width, height, angles.length, view, band])
  const { gesture, handlers } = useScoreGestures({ ref, geometry, points, angles, recorded, rate, actions, zoom, move })
  const drag = gesture?.kind === 'head' ? gesture : null
  const shownPoints = useMemo(
    () => (drag ? points.map((p) => (p.time === drag.from ? { ...p, time: drag.to } : p)).sort((a, b) => a.time - b.time) : points),
    [points, drag],
  )
  const laneOf = useMemo(() => new Map(angles.map((a, i) => [a.id, i])), [angles])
  const plan = useMemo(() => {
    const pictures = { spans, order: standInOrder(material.doc), standIn: material.doc.settings.standIn }
    return planFilm(shownPoints, pictures, recorded.start, recorded.end).filter((s) => s.wanted !== null)
  }, [shownPoints, spans, material, recorded])
  const { lanes, master } = useLanes(material, spans, inLanes.waves)
  const [thumbs, revision] = useThumbs()
  const marks = useMemo(() => marksOnMaster(doc), [doc])
  const colours = usePaperColours()
  const { settings } = doc
  const label = useMemo(() => {
    const style = { rate: projectRate(settings), dropFrame: settings.dropFrame }
    return (t: Flicks) => printTimecode(t, style, settings.startFrame)
  }, [settings])
  const pulse = pulseOf(doc)
  const ground = useMemo(
    // Drawn anew when small pictures have come.
    (): ScoreGround => ({ colours, lanes, pulse, master, label, thumbOf: inLanes.pictures && revision >= 0 ? thumbs.at : null }),
    [colours, lanes, pulse, master, label, inLanes.pictures, thumbs, revision],
  )
  const picture: ScorePicture = {
    colours,
    lanes,
    laneOf,
    plan,
    points: shownPoints,
    passages: useMemo(() => filmFor(project).passages(cut.id), [project, cut.id]),
    marks,
    leftOut: useMemo(() => leftOutOf(filmFor(project), recorded), [project, recorded]),
    chosen: gesture?.kind === 'range' ? gesture : range,
    picked: useMemo(() => new Set(picked), [picked]),
    compared: useMemo(
      () => other && { name: other.name, points: other.points, differs: differing(shownPoints, other.points, recorded.end) },
      [other, shownPoints, recorded],
    ),
    stroke: gesture?.kind === 'paint' ? gesture : null,
  }
  // What is held over the drawing may follow it a moment later.
  const calm = useDeferredValue(geometry)
  const later = useDeferredValue(shownPoints)
  const flags = useMemo(() => flagsInView(calm, marks), [calm, marks])
  const kept = useMemo(() => keptOf(filmFor(project)), [project])
  const hues = useMemo(() => angles.map((a) => a.hue), [angles])
  return (
    <div className="score" ref={ref} style={{ flex: 1, minHeight: 0 }} {...handlers} role="group" aria-label="Score">
      <Drawn geometry={geometry} ground={ground} picture={picture} onDrawn={thumbs.ask} />
      <Labels geometry={geometry} angles={angles} tempo={doc.pulse?.tempoBpm ?? 0} chosenAngle={chosenAngle} />
      <Heads geometry={calm} points={later} angles={angles} laneOf={laneOf} label={label} picked={picked} onJoin={actions.join} onPick={actions.pick} />
      <MarkFlags geometry={calm} doc={doc} flags={flags} rate={rate} label={label} edit={actions.edit} />
      {band > 0 && (
        <LayerBand
          geometry={calm}
          cutId={cut.id}
          nameOf={(id) => angles.find((a) => a.id === id)?.name ?? project.files.find((f) => f.id === id)?.name}
          layers={layers}
          rows={rows}
          chosen={layerId}
          rate={rate}
          label={label}
          actions={actions}
        />
      )}
      <FilmEnds geometry={calm} start={kept.start} end={kept.end} rate={rate} label={label} onKeep={actions.keep} />
      <Playhead view={view} left={LABELS} width={geometry.plotWidth} height={geometry.lanesBottom} />
      <Overview
        plan={useDeferredValue(plan)}
        laneOf={laneOf}
        hues={hues}
        whole={whole}
        view={view}
        left={LABELS}
        width={geometry.plotWidth}
        height={OVERVIEW}
        onShow={show}
      />
    </div>
  )
})

/** What the lanes and the master's line show, which changes only with the project. */
function useLanes(project: ProjectState, spans: readonly PictureSpan[], withWaves: boolean): { lanes: ScoreLane[]; master: Wave[] } {
  const { doc, files } = project
  const sounds = useMemo(
    () => files.filter((f) => f.facts.audio && Object.values(doc.clips).some((c) => c.fileId === f.id && doc.placements[c.id])),
    [files, doc.clips, doc.placements],
  )
  const peaks = useManyPeaks(useMemo(() => sounds.map((f) => ({ contentKey: f.contentKey, ready: f.ready.peaks })), [sounds]))
  return useMemo(() => {
    const waveOf = (clipId: string): Wave[] => {
      const file = sounds.find((f) => f.id === doc.clips[clipId]?.fileId)
      const placement = doc.placements[clipId]
      const wave = file && peaks.get(file.contentKey)
      if (!wave || !placement) return []
      const start = seconds(placement.start)
      return [{ peaks: wave, start, end: start + file.facts.durationSeconds * placement.rate, rate: placement.rate }]
    }
    const clips = playClips(project)
    const lanes = anglesInUse(doc).map((angle): ScoreLane => {
      const own = spans.filter((s) => s.angleId === angle.id)
      const inUse = withWaves ? Object.values(doc.clips).filter((c) => c.angleId === angle.id && c.state === 'in') : []
      const empty = own.length > 0 ? null : soundOnly(project, angle.id) ? 'sound only' : 'not lined up yet'
      const pictures = clips.filter((c) => c.angleId === angle.id)
      return { id: angle.id, hue: angle.hue, spans: own, waves: inUse.flatMap((c) => waveOf(c.id)), pictures, empty }
    })
    return { lanes, master: masterRecordings(project).flatMap((r) => waveOf(r.id)) }
  }, [project, doc, spans, sounds, peaks, withWaves])
}

/** A canvas as large as the score, in the pixels of the screen; null before it has any. */
function penOf(canvas: HTMLCanvasElement | null, { width, height }: Geometry): CanvasRenderingContext2D | null {
  const ctx = canvas?.getContext('2d')
  if (!canvas || !ctx || width === 0) return null
  const ratio = window.devicePixelRatio
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio)
    canvas.height = Math.round(height * ratio)
  }
  ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
  return ctx
}

/** The canvas. Its ground, which a cut leaves as it is, is kept beside it: waveforms of many lanes are the dearest thing on the score. */
function Drawn({
  geometry,
  ground,
  picture,
  onDrawn,
}: {
  geometry: Geometry
  ground: ScoreGround
  picture: ScorePicture
  onDrawn: (playing: boolean) => void
}) {
  const ref = useRef<HTMLCanvasElement>(null)
  const kept = useRef<HTMLCanvasElement | null>(null)
  const playing = useEngine((s) => s.playing)
  useLayoutEffect(() => {
    kept.current ??= document.createElement('canvas')
    const ctx = penOf(kept.current, geometry)
    if (ctx) drawGround(ctx, geometry, ground)
    onDrawn(playing)
  }, [geometry, ground, onDrawn, playing])
  useLayoutEffect(() => {
    const ctx = penOf(ref.current, geometry)
    if (ctx && kept.current) drawScore(ctx, geometry, picture, kept.current)
  })
  return <canvas ref={ref} className="score-drawing" style={{ width: geometry.width, height: geometry.height }} />
}

const Labels = memo(function Labels({
  geometry,
  angles,
  tempo,
  chosenAngle,
}: {
  geometry: Geometry
  angles: readonly Angle[]
  /** Beats a minute; 0 without a pulse. */
  tempo: number
  chosenAngle: string | null
}) {
  const size = Math.min(20, geometry.laneHeight - 1)
  const named = geometry.laneHeight < NAMED_LANE ? [] : angles
  return (
    <div className="score-labels" style={{ width: LABELS }}>
      <span className="quiet" style={{ top: 3 }}>
        {tempo > 0 ? `♩ = ${tempo.toFixed(1)}` : ''}
      </span>
      <b style={{ top: HEAD + geometry.wave / 2 - 9 }}>Master</b>
      {named.map((angle, i) => (
        <div
          key={angle.id}
          style={{ top: laneTop(geometry, i) + (geometry.laneHeight - size) / 2, height: size, fontSize: Math.max(8.5, Math.min(12.5, size - 2.5)) }}
          title={angle.name}
        >
          <Bob index={i} hue={angle.hue} lit={angle.id === chosenAngle} size={size} />
          {angle.name}
        </div>
      ))}
    </div>
  )
})
