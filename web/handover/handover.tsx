import { type FilmBody, LEAST_LOUDNESS, MOST_LOUDNESS } from '@pendolo/api'
import { activeCut, type FilmStretch, filmWarnings } from '@pendolo/core/film'
import { EXCHANGE_FORMATS } from '@pendolo/core/formats'
import { anglesInUse, marksOnMaster, projectRate, type Settings } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, PROJECT_RATES, parseRate, printLength, printRate, printTimecode, type Rate } from '@pendolo/core/time'
import { App, Button, InputNumber, Select, Tooltip } from 'antd'
import { type CSSProperties, useMemo, useState } from 'react'
import { Link } from 'react-router'
import { Bar, BarChart, ResponsiveContainer, XAxis } from 'recharts'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import { Warnings } from '../marks/warnings.tsx'
import { filmFor, type ProjectFilm } from '../playback/film.ts'
import { keptOf } from '../playback/model.ts'
import type { StageProps } from '../stage.ts'
import { Bob } from '../ui/bob.tsx'
import { Paper } from '../ui/paper.tsx'
import { hueOf } from '../ui/theme.ts'
import { FilmRow } from './film-row.tsx'
import { WhatLeaves } from './what-leaves.tsx'

/** Integrated loudness that is asked for most, LUFS. */
const TARGETS = [-23, -16, -14]
const SIZES = ['3840x2160', '1920x1080', '1280x720', '640x360'] as const

export function HandOver({ project, edit, top }: StageProps) {
  const { doc } = project
  const { notification } = App.useApp()
  const { data: jobs = [] } = useJobs(project.id)
  const rate = projectRate(doc.settings)
  const own = `${doc.settings.width}x${doc.settings.height}`
  const [size, setSize] = useState(own)
  const [filmRate, setFilmRate] = useState<FilmBody['rate']>(doc.settings.rate as FilmBody['rate'])
  const { loudness = null, lossless = false } = doc.settings
  const keep = (change: Pick<Settings, 'loudness' | 'lossless'>) => edit([{ type: 'settings', change }], 'choose the sound of the film')
  const film = filmFor(project)
  const range = keptOf(film)
  const cut = activeCut(doc)
  const plan = useMemo(() => film.plan(), [film])
  const films = jobs.filter((j) => j.kind === 'film')
  const label = (t: Flicks) => printTimecode(t, { rate, dropFrame: doc.settings.dropFrame }, doc.settings.startFrame)
  const parts = useMemo(() => marksOnMaster(doc).filter((m) => m.kind === 'part'), [doc])
  /** Parts of which the film keeps anything. */
  const kept = parts.filter((p, i) => keeps(film, p.time, p.end ?? parts[i + 1]?.time ?? film.bounds.event.end))
  const make = async (ofParts = false) => {
    const [width, height] = size.split('x').map(Number)
    try {
      await send('POST', `/projects/${project.id}/film`, {
        width,
        height,
        rate: filmRate,
        ...(loudness !== null && { loudness }),
        ...(lossless && { lossless }),
        ...(ofParts && { parts: kept.map((p) => p.id) }),
      })
    } catch (error) {
      notification.error({ title: 'The film was not begun', description: error instanceof Error ? error.message : String(error) })
    }
  }
  if (cut.points.length === 0) return <NothingYet projectId={project.id} top={top} />
  const warnings = filmWarnings(film, doc, rate)
  const where = cut.pieces.length > 1 ? `film of ${cut.pieces.length} pieces` : `${label(range.start)} – ${label(range.end)}`
  return (
    <>
      {top(
        <>
          <span className="chip">
            {cut.name} · {Math.max(0, cut.points.length - 1)} cuts
          </span>
          <span className="mono">
            {where} · {printLength(film.length / FLICKS_PER_SECOND)}
          </span>
          <span className="spring" />
        </>,
      )}
      <div className="handover">
        <Paper className="sheet">
          <h2>What leaves</h2>
          <WhatLeaves project={project} plan={plan} length={film.length} range={where} size={size} rate={parseRate(filmRate) as Rate} films={films} />
          <div className="leaving">
            <div>
              <div className="what">Film</div>
              <p className="quiet" style={{ margin: '2px 0 8px' }}>
                MP4 with H.264 and AAC, every picture from the originals, the sound as balanced (the master alone unless you chose more).
              </p>
              <div style={{ display: 'flex', flexWrap: 'wrap', gap: 8 }}>
                <Select
                  value={size}
                  onChange={setSize}
                  aria-label="Size of the film"
                  style={{ width: 130 }}
                  options={[...new Set([own, ...SIZES])].map((s) => ({ value: s, label: s.replace('x', ' × ') }))}
                />
                <Select
                  value={filmRate}
                  onChange={setFilmRate}
                  aria-label="Frames a second of the film"
                  style={{ width: 90 }}
                  options={PROJECT_RATES.map((r) => ({ value: r, label: printRate(parseRate(r) as Rate) }))}
                />
                <LoudnessChoice value={loudness} onChange={(wanted) => keep({ loudness: wanted })} />
                <SoundKind value={lossless} onChange={(wanted) => keep({ lossless: wanted })} />
                <Button type="primary" onClick={() => void make()}>
                  Make the film
                </Button>
                {kept.length > 0 && (
                  <Tooltip title={kept.map((p) => p.name).join(', ')}>
                    <Button onClick={() => void make(true)}>{kept.length === 1 ? 'One film of the part' : `A film of each of the ${kept.length} parts`}</Button>
                  </Tooltip>
                )}
              </div>
            </div>
            <div>
              {films.slice(0, 12).map((job) => (
                <FilmRow key={job.id} job={job} />
              ))}
            </div>
          </div>
          {EXCHANGE_FORMATS.map((format) => (
            <Exchange key={format.id} project={project.id} format={format} />
          ))}
        </Paper>
        <aside className="side" aria-label="Before it leaves">
          <h3>Before it leaves</h3>
          <Warnings project={project} warnings={warnings} edit={edit} />
          <Figures plan={plan} project={project} />
        </aside>
      </div>
    </>
  )
}

/** Before anything was chosen: where that is done. */
function NothingYet({ projectId, top }: Pick<StageProps, 'top'> & { projectId: string }) {
  return (
    <>
      {top(<span className="spring" />)}
      <Paper className="body">
        <div className="empty">
          <h2>Nothing to hand over yet</h2>
          <p>Choose at least one angle in Switch; then the film and the exchange files can leave from here.</p>
          <Link to={`/${projectId}/switch`}>
            <Button type="primary">Switch</Button>
          </Link>
        </div>
      </Paper>
    </>
  )
}

/** Whether the film's sound is kept as it was mixed. */
function SoundKind({ value, onChange }: { value: boolean; onChange: (value: boolean) => void }) {
  return (
    <Select
      value={value}
      onChange={onChange}
      aria-label="Kind of the film’s sound"
      style={{ width: 190 }}
      options={[
        { value: false, label: 'AAC sound (.mp4)' },
        { value: true, label: 'sound untouched (.mov)' },
      ]}
    />
  )
}

/** How loud the film's sound is to be: as balanced, at a loudness that is usual, or at another one. */
function LoudnessChoice({ value, onChange }: { value: number | null; onChange: (value: number | null) => void }) {
  const [typed, setTyped] = useState(value !== null && !TARGETS.includes(value))
  const [number, setNumber] = useState(value)
  const keep = () => number !== null && number !== value && onChange(number)
  return (
    <>
      <Select
        value={typed ? 'typed' : (value ?? 'balanced')}
        aria-label="Loudness of the film"
        style={{ width: 170 }}
        onChange={(wanted) => {
          setTyped(wanted === 'typed')
          const next = wanted === 'typed' ? (value ?? TARGETS[0]) : typeof wanted === 'number' ? wanted : null
          setNumber(next)
          onChange(next)
        }}
        options={[
          { value: 'balanced' as const, label: 'loudness as balanced' },
          ...TARGETS.map((t) => ({ value: t, label: `−${-t} LUFS` })),
          { value: 'typed' as const, label: 'another loudness' },
        ]}
      />
      {typed && (
        <InputNumber
          value={number}
          min={LEAST_LOUDNESS}
          max={MOST_LOUDNESS}
          step={0.5}
          suffix="LUFS"
          aria-label="Loudness, LUFS"
          style={{ width: 120 }}
          onChange={setNumber}
          onBlur={keep}
          onPressEnter={keep}
        />
      )}
    </>
  )
}

/** Whether a film shows anything of a range of the master. */
function keeps({ runs }: ProjectFilm, from: Flicks, to: Flicks): boolean {
  return runs.some((r) => r.from !== null && r.from < to && r.from + r.length > from)
}

function Exchange({ project, format: { id, name, what } }: { project: string; format: (typeof EXCHANGE_FORMATS)[number] }) {
  return (
    <div className="leaving">
      <div>
        <div className="what">{name}</div>
        <p className="quiet" style={{ margin: '2px 0' }}>
          {what}
        </p>
      </div>
      <div>
        <Button href={`/api/projects/${project}/exchange/${id}`} download>
          Save .{id}
        </Button>
      </div>
    </div>
  )
}

function Figures({ plan, project }: { plan: readonly FilmStretch[]; project: StageProps['project'] }) {
  const { doc } = project
  const shown = plan.filter((s) => s.angleId !== null)
  const total = shown.reduce((t, s) => t + s.length, 0)
  const bins = [1, 2, 4, 8, 16, 32]
  const data = bins.map((top, i) => ({
    name: i === bins.length - 1 ? `${bins[i - 1]}+` : `<${top}`,
    stretches: shown.filter((s) => s.length / FLICKS_PER_SECOND >= (bins[i - 1] ?? 0) && (s.length / FLICKS_PER_SECOND < top || i === bins.length - 1)).length,
  }))
  return (
    <>
      <h3 style={{ marginTop: 18 }}>The cut in figures</h3>
      <p className="quiet" style={{ margin: '4px 0' }}>
        stretches by length, seconds
      </p>
      <ResponsiveContainer width="100%" height={110}>
        <BarChart data={data} margin={{ top: 4, right: 0, left: 0, bottom: 0 }}>
          <XAxis dataKey="name" tick={{ fill: '#9b9993', fontSize: 11 }} axisLine={false} tickLine={false} />
          <Bar dataKey="stretches" fill="#a9812f" isAnimationActive={false} />
        </BarChart>
      </ResponsiveContainer>
      <p className="quiet" style={{ margin: '8px 0 4px' }}>
        screen time by angle
      </p>
      {anglesInUse(doc).map((a, i) => {
        const share = total > 0 ? shown.filter((s) => s.angleId === a.id).reduce((t, s) => t + s.length, 0) / total : 0
        return share > 0 ? (
          <div className="use-row" key={a.id} style={{ '--hue': hueOf(a.hue) } as CSSProperties}>
            <Bob index={i} hue={a.hue} />
            <span>{a.name}</span>
            <i style={{ width: `${share * 100}%` }} />
            <span className="mono quiet">{Math.round(share * 100)} %</span>
          </div>
        ) : null
      })}
    </>
  )
}
