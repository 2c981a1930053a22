import type { ProjectState } from '@pendolo/api'
import { type Clip, clockOf, type FileFacts, factsOfClip, projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, masterToClip, type PlacementMap, printTimecode, ZERO } from '@pendolo/core/time'
import { Button, Segmented, Select, Slider } from 'antd'
import { useEffect, useRef, useState } from 'react'
import { mediaUrl } from '../data/client.ts'
import { EngineCanvas } from '../playback/engine-canvas.tsx'
import { filmFor } from '../playback/film.ts'
import { masterEnd } from '../playback/model.ts'
import { readSamples, type Samples } from '../playback/pcm.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import { keyText } from '../ui/keymap.ts'
import { hueOf } from '../ui/theme.ts'
import { Zoom } from './zoom.tsx'

const ZOOMS = [
  { value: 1.5, label: '±1.5 s' },
  { value: 0.2, label: '±0.2 s' },
  { value: 0.02, label: '±20 ms' },
]

interface CompareProps {
  readonly project: ProjectState
  readonly clip: Clip | null
  /** How far the clip's own picture has been stepped from its place, flicks of master time. */
  readonly offset: Flicks
  readonly onOffset: (offset: Flicks) => void
  /** Puts what the right picture shows on what the left one shows. */
  readonly onSame: () => void
  /** Plays both sounds at the clip's start, middle and end. */
  readonly onTour: () => void
}

/** Two pictures and two waveforms of the same instant: what eye and ear check a placement by. */
export function Compare({ project, clip, offset, onOffset, onSame, onTour }: CompareProps) {
  const { doc, files } = project
  const time = useEngine((s) => s.time)
  const [half, setHalf] = useState(1.5)
  const [large, setLarge] = useState(false)
  const film = filmFor(project)
  const [leftId, setLeftId] = useState<string | null>(null)
  const candidates = leftId && doc.angles.some((a) => a.id === leftId) ? [{ id: leftId }] : doc.angles
  const other = candidates.map((a) => film.clipAt(a.id, time)).find((s) => s && s.clipId !== clip?.id)
  const label = printTimecode(time, { rate: projectRate(doc.settings), dropFrame: doc.settings.dropFrame }, doc.settings.startFrame)
  const angleName = (angleId: string | null | undefined) => doc.angles.find((a) => a.id === angleId)?.name ?? ''
  const nameOf = (clipId: string) => angleName(doc.clips[clipId]?.angleId)
  const file = clip && files.find((f) => f.id === clip.fileId)
  const placement = clip ? doc.placements[clip.id] : undefined
  const duration = file?.facts.durationSeconds ?? 0
  const loosened = clip !== null && (offset !== 0 || !placement)
  const own = clip ? ownTime(time, offset, placement ?? null) : ZERO
  const goTo = (share: number) => {
    if (clip && placement) engine.seek(placeInClip(project, clip, share))
  }
  return (
    <section className="compare" aria-label="Compare">
      <div className={large ? 'pair large' : 'pair'}>
        <div>
          {other && (
            <Zoom name="reference picture">
              <EngineCanvas source={{ kind: 'clip', clipId: other.clipId, offset: 0 }} name="compare-left" label="Reference picture" />
            </Zoom>
          )}
          <span className="caption mono">
            <Select
              size="small"
              variant="borderless"
              value={leftId ?? ''}
              onChange={(id) => setLeftId(id || null)}
              aria-label="Angle to compare with"
              popupMatchSelectWidth={220}
              labelRender={() => (other ? nameOf(other.clipId) : leftId ? `${angleName(leftId)}: dark here` : 'master')}
              options={[{ value: '', label: 'the first that has a picture' }, ...doc.angles.map((a) => ({ value: a.id, label: a.name }))]}
            />{' '}
            · {label}
          </span>
        </div>
        <div>
          {clip && file?.facts.video && (
            <Zoom name="picture of the chosen clip">
              <EngineCanvas source={{ kind: 'clip', clipId: clip.id, offset }} name="compare-right" label="Picture of the chosen clip" />
            </Zoom>
          )}
          <span className="caption mono">
            {clip ? `${nameOf(clip.id)} · ${clipLabel(own)}${placement ? (offset !== 0 ? ` · ${signedMs(offset)}` : '') : ' · no place yet'}` : 'choose a clip'}
          </span>
        </div>
      </div>
      {loosened && (
        <Slider
          min={0}
          max={duration}
          step={0.04}
          value={own / FLICKS_PER_SECOND}
          tooltip={{ formatter: (v) => `${Number(v).toFixed(2)} s` }}
          onChange={(v: number) => onOffset(flicks(offset + Math.round((v * FLICKS_PER_SECOND - own) * (placement?.rate ?? 1))))}
          ariaLabelForHandle="Instant of the chosen clip"
          style={{ margin: '0 6px' }}
        />
      )}
      <Waves project={project} clip={clip} time={time} offset={offset} half={half} />
      <div style={{ display: 'flex', gap: 6, alignItems: 'center', flexWrap: 'wrap' }}>
        <Segmented size="small" options={ZOOMS} value={half} onChange={setHalf} />
        <Button size="small" onClick={() => setLarge(!large)} aria-pressed={large}>
          {large ? 'smaller' : 'larger'}
        </Button>
        <span style={{ flex: 1 }} />
        {loosened ? (
          <>
            <Button size="small" type="primary" disabled={!clip || placement?.locked} onClick={onSame}>
              Same instant
            </Button>
            {placement && (
              <Button size="small" onClick={() => onOffset(ZERO)}>
                back in step
              </Button>
            )}
          </>
        ) : (
          <>
            <Button
              size="small"
              disabled={!placement}
              onClick={onTour}
              title={`Plays two seconds of both sounds at the start, the middle and the end (${keyText('tour')})`}
            >
              Check
            </Button>
            <span className="quiet">at its</span>
            {(
              [
                ['start', 0.02],
                ['middle', 0.5],
                ['end', 0.98],
              ] as const
            ).map(([name, share]) => (
              <Button key={name} size="small" disabled={!placement} onClick={() => goTo(share)}>
                {name}
              </Button>
            ))}
          </>
        )}
        <Stepper what="both" onStep={(by) => step(project, by)} />
        <Stepper
          what="the clip"
          disabled={!file?.facts.video}
          onStep={(by) => onOffset(flicks(offset + clipFrames(file && clip ? factsOfClip(file.facts, clip) : null, placement?.rate ?? 1, by)))}
        />
      </div>
    </section>
  )
}

function Stepper({ what, disabled, onStep }: { what: string; disabled?: boolean; onStep: (by: number) => void }) {
  return (
    <span style={{ display: 'inline-flex', gap: 2, alignItems: 'center' }}>
      <span className="quiet">{what}</span>
      <Button size="small" disabled={disabled} aria-label={`Step ${what} one frame back`} onClick={() => onStep(-1)}>
        ‹
      </Button>
      <Button size="small" disabled={disabled} aria-label={`Step ${what} one frame on`} onClick={() => onStep(1)}>
        ›
      </Button>
    </span>
  )
}

/** What a clip shows, in its own time, when it has been stepped away from its place by `offset`. */
export function ownTime(time: Flicks, offset: Flicks, placement: PlacementMap | null): Flicks {
  return masterToClip(flicks(time + offset), placement ?? { start: ZERO, rate: 1 })
}

/**
 * Instant at a share of a clip, as far as it lies on the master, or of the whole clip where it lies beside it; `room`
 * seconds are left to play before its end.
 */
export function placeInClip(project: ProjectState, clip: Clip, share: number, room = 0): Flicks {
  const placement = project.doc.placements[clip.id]
  const seconds = project.files.find((f) => f.id === clip.fileId)?.facts.durationSeconds ?? 0
  const end = placement.start + seconds * placement.rate * FLICKS_PER_SECOND
  const beside = end <= 0 || placement.start >= masterEnd(project)
  const from = beside ? placement.start : Math.max(0, placement.start)
  const to = beside ? end : Math.min(masterEnd(project), end)
  return flicks(Math.round(Math.max(from, Math.min(from + share * (to - from), to - room * FLICKS_PER_SECOND))))
}

/** Length of some of a clip's frames on the master's time. */
export function clipFrames(facts: FileFacts | null, rate: number, count: number): number {
  const { num, den } = facts?.video?.rate ?? { num: 25, den: 1 }
  return Math.round((count * rate * FLICKS_PER_SECOND * den) / num)
}

function clipLabel(own: Flicks): string {
  const seconds = own / FLICKS_PER_SECOND
  return `${seconds < 0 ? '−' : ''}${Math.floor(Math.abs(seconds) / 60)}:${(Math.abs(seconds) % 60).toFixed(2).padStart(5, '0')}`
}

function signedMs(offset: Flicks): string {
  return `${offset < 0 ? '−' : '+'}${Math.abs((offset / FLICKS_PER_SECOND) * 1000).toFixed(0)} ms`
}

function step(project: ProjectState, by: number): void {
  engine.seek(flicks(engine.now() + by * frameStart(1, projectRate(project.doc.settings))))
}

function Waves({ project, clip, time, offset, half }: { project: ProjectState; clip: Clip | null; time: Flicks; offset: Flicks; half: number }) {
  const { doc, files } = project
  const ref = useRef<HTMLCanvasElement>(null)
  const [samples, setSamples] = useState<{ master: Samples | null; clip: Samples | null; at: number }>({ master: null, clip: null, at: 0 })
  const master = files.find((f) => f.id === doc.clips[clockOf(doc) ?? '']?.fileId)
  const file = clip ? files.find((f) => f.id === clip.fileId) : undefined
  const placement = clip ? doc.placements[clip.id] : undefined
  const seconds = time / FLICKS_PER_SECOND
  const clipSeconds = clip ? ownTime(time, offset, placement ?? null) / FLICKS_PER_SECOND : null
  const masterUrl = master?.ready.sound ? mediaUrl(master.contentKey, 'sound') : null
  const clipUrl = file?.ready.sound ? mediaUrl(file.contentKey, 'sound') : null
  const busy = useRef(false)
  const rate = placement?.rate ?? 1
  // One reading at a time; what was asked for meanwhile is read next, and the last asked is always read.
  const wanted = useRef<(() => Promise<void>) | null>(null)
  useEffect(() => {
    const reach = half + 0.05
    wanted.current = async () => {
      const [m, c] = await Promise.all([
        masterUrl ? readSamples(masterUrl, seconds - reach, seconds + reach) : null,
        clipUrl && clipSeconds !== null ? readSamples(clipUrl, clipSeconds - reach / rate, clipSeconds + reach / rate) : null,
      ])
      setSamples({ master: m, clip: c, at: seconds })
    }
    if (busy.current) return
    busy.current = true
    const work = async () => {
      while (wanted.current) {
        const read = wanted.current
        wanted.current = null
        await read().catch(() => undefined)
      }
      busy.current = false
    }
    void work()
  }, [masterUrl, clipUrl, seconds, clipSeconds, rate, half])
  const hue = hueOf(doc.angles.find((a) => a.id === clip?.angleId)?.hue ?? 0)
  useEffect(() => {
    const canvas = ref.current
    const ctx = canvas?.getContext('2d')
    if (!canvas || !ctx) return
    canvas.width = canvas.clientWidth * window.devicePixelRatio
    canvas.height = canvas.clientHeight * window.devicePixelRatio
    const { width, height } = canvas
    ctx.clearRect(0, 0, width, height)
    const wave = (s: Samples | null, centre: number, span: number, top: number, colour: string) => {
      if (!s) return
      ctx.fillStyle = colour
      const band = height / 2 - 6
      let loudest = 0.02
      for (const v of s.values) loudest = Math.max(loudest, Math.abs(v))
      let before = 0
      for (let x = 0; x < width; x++) {
        const a = Math.floor((centre - span + (2 * span * x) / width - s.from) * s.rate)
        const b = Math.max(a + 1, Math.floor((centre - span + (2 * span * (x + 1)) / width - s.from) * s.rate))
        let low = before
        let high = before
        for (let i = Math.max(0, a); i < Math.min(b, s.values.length); i++) {
          low = Math.min(low, s.values[i])
          high = Math.max(high, s.values[i])
          before = s.values[i]
        }
        if (a < 0 || a >= s.values.length) continue
        ctx.fillRect(x, top + band / 2 - (high / loudest) * (band / 2), 1, Math.max(1, ((high - low) / loudest) * (band / 2)))
      }
    }
    wave(samples.master, samples.at, half, 4, '#d8d2c2')
    if (clipSeconds !== null) wave(samples.clip, clipSeconds + (samples.at - seconds) / rate, half / rate, height / 2 + 2, hue)
    ctx.fillStyle = '#c04a3c'
    ctx.fillRect(width / 2, 0, 1.5, height)
  }, [samples, half, clipSeconds, hue, rate, seconds])
  return (
    <div className="waves">
      <canvas ref={ref} role="img" aria-label="Waveforms of the master and the clip around the playhead" />
      <button
        type="button"
        className="over"
        aria-label="Go to an instant of the waveforms"
        onClick={(e) => {
          // A key has no place on it and leaves the playhead where it is.
          if (e.detail === 0) return
          const box = e.currentTarget.getBoundingClientRect()
          engine.seek(flicks(Math.round(engine.now() + ((e.clientX - box.left) / box.width - 0.5) * 2 * half * FLICKS_PER_SECOND)))
        }}
      />
    </div>
  )
}
