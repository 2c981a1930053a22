import { counted, type ProjectState } from '@pendolo/api'
import { activeCut, FALLS_ON, type FallsOn, type Rhythm, rhythmOf } from '@pendolo/core/film'
import { projectRate } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, printLength, printTimecode } from '@pendolo/core/time'
import { App, Button, Drawer, Select } from 'antd'
import { type CSSProperties, useMemo, useRef, useState } from 'react'
import { Bar, BarChart, Cell, Tooltip as ChartTooltip, ResponsiveContainer, XAxis, YAxis } from 'recharts'
import { filmOfVersion } from '../playback/film.ts'
import { engine } from '../playback/use-engine.ts'
import { hueOf } from '../ui/theme.ts'
import { rhythmCsv } from './rhythm-csv.ts'

const WORDS: Readonly<Record<FallsOn, string>> = { bar: 'first beat of a bar', phrase: 'first word', beat: 'beat', hit: 'strong hit', none: 'none of these' }

/** Saves something under a name, as a browser saves downloads. */
function save(name: string, content: Blob): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(content)
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}

/** Draws a chart into a picture. @throws Error where the browser cannot */
async function pngOf(chart: SVGSVGElement, background: string): Promise<Blob> {
  const { width, height } = chart.getBoundingClientRect()
  const text = new XMLSerializer().serializeToString(chart)
  const image = new Image()
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`
  await image.decode()
  const canvas = new OffscreenCanvas(2 * Math.ceil(width), 2 * Math.ceil(height))
  const ctx = canvas.getContext('2d')
  if (!ctx) throw new Error('no picture can be drawn here')
  ctx.fillStyle = background
  ctx.fillRect(0, 0, canvas.width, canvas.height)
  ctx.drawImage(image, 0, 0, canvas.width, canvas.height)
  return canvas.convertToBlob({ type: 'image/png' })
}

interface Props {
  readonly project: ProjectState
  readonly onClose: () => void
}

/** The rhythm of the version at hand in figures, and of another beside it. */
export default function RhythmReport({ project, onClose }: Props) {
  const { doc } = project
  const cut = activeCut(doc)
  const [otherId, setOtherId] = useState<string | null>(null)
  const others = doc.cuts.filter((c) => c.id !== cut.id)
  const other = others.find((c) => c.id === otherId)
  return (
    <Drawer open size={other ? 1100 : 620} title="Rhythm of the cut" onClose={onClose} className="rhythm">
      {others.length > 0 && (
        <Select
          size="small"
          allowClear
          aria-label="Version beside it"
          placeholder="beside another version …"
          value={otherId}
          onChange={(id: string | undefined) => setOtherId(id ?? null)}
          options={others.map((c) => ({ value: c.id, label: c.name }))}
          style={{ width: 220, marginBottom: 12 }}
        />
      )}
      <div style={{ display: 'grid', gridTemplateColumns: other ? '1fr 1fr' : '1fr', gap: 28 }}>
        <Figures project={project} cutId={cut.id} name={cut.name} />
        {other && <Figures project={project} cutId={other.id} name={other.name} />}
      </div>
    </Drawer>
  )
}

function Figures({ project, cutId, name }: { project: ProjectState; cutId: string; name: string }) {
  const { doc } = project
  const { notification } = App.useApp()
  const chart = useRef<HTMLDivElement>(null)
  const rhythm = useMemo(() => rhythmOf(filmOfVersion(project, cutId).plan(), doc), [project, doc, cutId])
  const rate = projectRate(doc.settings)
  const label = (t: Flicks) => printTimecode(t, { rate, dropFrame: doc.settings.dropFrame }, doc.settings.startFrame)
  const angle = (id: string) => doc.angles.find((a) => a.id === id)
  const { stretches, longest } = rhythm
  if (stretches.length === 0) return <p className="quiet">{name}: nothing is seen in this version yet.</p>
  const file = `${project.name} ${name} rhythm`.replace(/[^\p{L}\p{N} _-]/gu, '').trim()
  const savePng = async () => {
    const svg = chart.current?.querySelector('svg')
    try {
      if (svg) save(`${file}.png`, await pngOf(svg, getComputedStyle(document.body).backgroundColor))
    } catch (error) {
      notification.error({ title: 'The picture was not saved', description: error instanceof Error ? error.message : String(error) })
    }
  }
  return (
    <section aria-label={`Rhythm of ${name}`}>
      <h3>{name}</h3>
      <dl className="facts">
        <dt>cuts</dt>
        <dd>{stretches.length - 1}</dd>
        <dt>middle length</dt>
        <dd>{((rhythm.medianLength ?? 0) / FLICKS_PER_SECOND).toFixed(2)} s</dd>
        <dt>longest without a change</dt>
        <dd>
          {longest && (
            <Button size="small" type="link" style={{ padding: 0 }} onClick={() => engine.seek(longest.from)}>
              {printLength(longest.length / FLICKS_PER_SECOND)} at {label(longest.from)}
            </Button>
          )}
        </dd>
        {rhythm.medianOff !== null && (
          <>
            <dt>from the nearest beat</dt>
            <dd>{rhythm.medianOff === 0 ? 'on it, as a rule' : `${counted(rhythm.medianOff, 'frame')}, as a rule`}</dd>
          </>
        )}
      </dl>
      <h4>Lengths over time, seconds</h4>
      <div ref={chart}>
        <Lengths rhythm={rhythm} hue={(id) => hueOf(angle(id)?.hue ?? 0)} label={label} />
      </div>
      <h4>What cuts fall on, to the frame</h4>
      <dl className="facts">
        {FALLS_ON.filter((on) => rhythm.counts[on] > 0).map((on) => (
          <FallsRow key={on} word={WORDS[on]} count={rhythm.counts[on]} of={stretches.length - 1} />
        ))}
      </dl>
      <h4>Share of each angle</h4>
      {rhythm.shares.map((s) => (
        <div className="use-row" key={s.angleId} style={{ '--hue': hueOf(angle(s.angleId)?.hue ?? 0), gridTemplateColumns: '130px 1fr 92px' } as CSSProperties}>
          <span>{angle(s.angleId)?.name}</span>
          <i style={{ width: `${s.share * 100}%` }} />
          <span className="mono quiet">
            {Math.round(s.share * 100)} % · {s.cuts}×
          </span>
        </div>
      ))}
      <div style={{ display: 'flex', gap: 8, marginTop: 14 }}>
        <Button
          size="small"
          onClick={() => save(`${file}.csv`, new Blob([rhythmCsv(rhythm, label, (id) => angle(id)?.name ?? id, frameStart(1, rate))], { type: 'text/csv' }))}
        >
          Save CSV
        </Button>
        <Button size="small" onClick={() => void savePng()}>
          Save PNG
        </Button>
      </div>
    </section>
  )
}

function FallsRow({ word, count, of }: { word: string; count: number; of: number }) {
  return (
    <>
      <dt>{word}</dt>
      <dd>
        {count} <span className="quiet">({Math.round((100 * count) / Math.max(1, of))} %)</span>
      </dd>
    </>
  )
}

/** So many bars are drawn; of more, the longest in each piece of time stands for it. */
const MOST_BARS = 400

function Lengths({ rhythm, hue, label }: { rhythm: Rhythm; hue: (angleId: string) => string; label: (t: Flicks) => string }) {
  const data = useMemo(() => {
    const every = Math.ceil(rhythm.stretches.length / MOST_BARS)
    return rhythm.stretches.flatMap((s, i) => {
      if (i % every !== 0) return []
      const longest = rhythm.stretches.slice(i, i + every).reduce((a, b) => (b.length > a.length ? b : a), s)
      return [{ at: longest.from, seconds: longest.length / FLICKS_PER_SECOND, angleId: longest.angleId }]
    })
  }, [rhythm])
  return (
    <ResponsiveContainer width="100%" height={150}>
      <BarChart
        data={data}
        margin={{ top: 4, right: 0, left: -18, bottom: 0 }}
        barCategoryGap={1}
        onClick={(e) => e.activeLabel !== undefined && engine.seek(flicks(Number(e.activeLabel)))}
      >
        <XAxis
          dataKey="at"
          tickFormatter={(t: number) => label(flicks(t)).slice(0, 8)}
          tick={{ fill: '#9b9993', fontSize: 10 }}
          axisLine={false}
          tickLine={false}
          minTickGap={50}
        />
        <YAxis tick={{ fill: '#9b9993', fontSize: 10 }} axisLine={false} tickLine={false} width={44} />
        <ChartTooltip
          cursor={{ fill: 'rgba(201,151,63,0.15)' }}
          contentStyle={{ background: '#202226', border: '1px solid #3c3f45', fontSize: 12 }}
          labelFormatter={(t) => label(flicks(Number(t)))}
          formatter={(s) => [`${Number(s).toFixed(2)} s`, 'length']}
        />
        <Bar dataKey="seconds" isAnimationActive={false}>
          {data.map((d) => (
            <Cell key={d.at} fill={hue(d.angleId)} />
          ))}
        </Bar>
      </BarChart>
    </ResponsiveContainer>
  )
}
