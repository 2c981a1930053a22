import type { ProjectState } from '@pendolo/api'
import { clipShownAt } from '@pendolo/core/cut'
import { type Clip, pictureSpans, projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, masterToClip, printTimecode } from '@pendolo/core/time'
import { Button, Segmented } from 'antd'
import { useEffect, useMemo, useRef, useState } from 'react'
import { mediaUrl } from '../data/client.ts'
import { engine, useEngine } from '../playback/use-engine.ts'
import { EngineCanvas, sourceTimecode } from '../switch/wall.tsx'
import { hueOf } from '../ui/theme.ts'
import { readSamples, type Samples } from './pcm.ts'

const ZOOMS = [
  { value: 1.5, label: '±1.5 s' },
  { value: 0.2, label: '±0.2 s' },
  { value: 0.02, label: '±20 ms' },
]

/** Two pictures and two waveforms of the same instant: what eye and ear check a placement by. */
export function Compare({ project, clip }: { project: ProjectState; clip: Clip | null }) {
  const { doc, files } = project
  const { time } = useEngine()
  const [half, setHalf] = useState(1.5)
  const spans = useMemo(() => pictureSpans(doc, (id) => files.find((f) => f.id === id)?.facts), [doc, files])
  const other = doc.angles.map((a) => clipShownAt(spans, a.id, time)).find((s) => s && s.clipId !== clip?.id)
  const label = printTimecode(time, { rate: projectRate(doc.settings), dropFrame: doc.settings.dropFrame }, doc.settings.startFrame)
  const nameOf = (clipId: string) => doc.angles.find((a) => a.id === doc.clips[clipId]?.angleId)?.name ?? ''
  const file = clip && files.find((f) => f.id === clip.fileId)
  const placement = clip ? doc.placements[clip.id] : undefined
  const duration = file?.facts.durationSeconds ?? 0
  const goTo = (share: number) => {
    if (!placement) return
    engine.seek(flicks(Math.round(placement.start + share * duration * placement.rate * FLICKS_PER_SECOND)))
  }
  return (
    <section className="compare" aria-label="Compare">
      <div className="pair">
        <div>
          {other && <EngineCanvas source={{ kind: 'clip', clipId: other.clipId, offset: 0 }} name="compare-left" label="Reference picture" />}
          <span className="caption mono">{other ? `${nameOf(other.clipId)} · ${label}` : `master · ${label}`}</span>
        </div>
        <div>
          {clip && placement && <EngineCanvas source={{ kind: 'clip', clipId: clip.id, offset: 0 }} name="compare-right" label="Picture of the chosen clip" />}
          <span className="caption mono">
            {clip && placement ? `${nameOf(clip.id)} · ${sourceTimecode(project, { clipId: clip.id }, time)}` : clip ? 'not placed' : 'choose a clip'}
          </span>
        </div>
      </div>
      <Waves project={project} clip={clip} time={time} half={half} />
      <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
        <Segmented size="small" options={ZOOMS} value={half} onChange={setHalf} />
        <span style={{ flex: 1 }} />
        <span className="quiet">check at its</span>
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
        <Button size="small" aria-label="One frame back" onClick={() => step(project, -1)}>
          ‹
        </Button>
        <Button size="small" aria-label="One frame on" onClick={() => step(project, 1)}>
          ›
        </Button>
      </div>
    </section>
  )
}

function step(project: ProjectState, by: number): void {
  engine.seek(flicks(engine.now() + by * frameStart(1, projectRate(project.doc.settings))))
}

function Waves({ project, clip, time, half }: { project: ProjectState; clip: Clip | null; time: Flicks; half: number }) {
  const { doc, files } = project
  const ref = useRef<HTMLCanvasElement>(null)
  const [samples, setSamples] = useState<{ master: Samples | null; clip: Samples | null; at: number }>({ master: null, clip: null, at: 0 })
  const master = files.find((f) => f.id === doc.clips[doc.masterClipId ?? '']?.fileId)
  const file = clip ? files.find((f) => f.id === clip.fileId) : undefined
  const placement = clip ? doc.placements[clip.id] : undefined
  const seconds = time / FLICKS_PER_SECOND
  const clipSeconds = placement ? masterToClip(time, placement) / FLICKS_PER_SECOND : null
  const masterUrl = master?.ready.sound ? mediaUrl(master.contentKey, 'sound') : null
  const clipUrl = file?.ready.sound ? mediaUrl(file.contentKey, 'sound') : null
  const busy = useRef(false)
  const rate = placement?.rate ?? 1
  useEffect(() => {
    if (busy.current) return
    busy.current = true
    const reach = half + 0.05
    void Promise.all([
      masterUrl ? readSamples(masterUrl, seconds - reach, seconds + reach) : null,
      clipUrl && clipSeconds !== null ? readSamples(clipUrl, clipSeconds - reach / rate, clipSeconds + reach / rate) : null,
    ]).then(
      ([m, c]) => {
        busy.current = false
        setSamples({ master: m, clip: c, at: seconds })
      },
      () => {
        busy.current = false
      },
    )
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
  return <canvas ref={ref} className="waves" role="img" aria-label="Waveforms of the master and the clip around the playhead" />
}
