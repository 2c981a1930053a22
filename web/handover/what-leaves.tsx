import { counted, type Job, sizeText } from '@pendolo/api'
import { activeCut, type FilmStretch } from '@pendolo/core/film'
import { FLICKS_PER_SECOND, type Flicks, flicks, printLength, printRate, type Rate, rateToNumber } from '@pendolo/core/time'
import { useMemo } from 'react'
import { glimpseInFilm, glimpseName } from '../playback/glimpse.ts'
import { playClips } from '../playback/model.ts'
import { Thumb } from '../playback/thumb.tsx'
import type { StageProps } from '../stage.ts'
import { estimateOf } from './estimate.ts'

/** So many pictures of the film are shown, at equal distances. */
const SHOWN = 6

interface Props {
  readonly project: StageProps['project']
  readonly plan: readonly FilmStretch[]
  readonly length: Flicks
  /** From where to where on the master. */
  readonly range: string
  readonly size: string
  readonly rate: Rate
  /** Films that were made or tried, newest first. */
  readonly films: readonly Job[]
}

/** What the film will be before it is made: pictures of it, its version, range and size, and how much of disk and time it takes. */
export function WhatLeaves({ project, plan, length, range, size, rate, films }: Props) {
  const { doc } = project
  const clips = useMemo(() => playClips(project), [project])
  const cut = activeCut(doc)
  const [width, height] = size.split('x').map(Number)
  const seconds = length / FLICKS_PER_SECOND
  const frames = Math.round(seconds * rateToNumber(rate))
  const { bytes, seconds: takes, told } = estimateOf({ width, height, frames, rate, lossless: doc.settings.lossless === true }, films)
  const facts: [string, string][] = [
    ['version', `${cut.name} · ${counted(Math.max(0, cut.points.length - 1), 'cut')}`],
    ['range', range],
    ['length', `${printLength(seconds)} · ${frames.toLocaleString('en')} frames`],
    [
      'size',
      `${width} × ${height} at ${printRate(rate)} · ${told ? `about ${sizeText(bytes)}` : `some ${sizeText(bytes)}, of noisy pictures several times that`}`,
    ],
    [
      'time to make it',
      takes === null ? 'known once one was made' : `about ${takes < 60 ? `${Math.max(1, Math.round(takes))} s` : printLength(takes)}, by the last one`,
    ],
  ]
  return (
    <section className="what-leaves" aria-label="What leaves">
      <div className="strip">
        {Array.from({ length: SHOWN }, (_, i) => {
          const at = flicks(Math.round((length * (i + 0.5)) / SHOWN))
          const seen = glimpseInFilm(plan, at, clips)
          const name = glimpseName(seen, (id) => doc.angles.find((a) => a.id === id)?.name ?? 'an angle')
          return (
            <figure key={at}>
              <Thumb clip={seen.clip} time={seen.time} label={`The film at ${printLength(at / FLICKS_PER_SECOND)}: ${name}`} />
              <figcaption className="mono">{printLength(at / FLICKS_PER_SECOND)}</figcaption>
            </figure>
          )
        })}
      </div>
      <dl>
        {facts.map(([name, text]) => (
          <div key={name}>
            <dt className="quiet">{name}</dt>
            <dd className={name === 'range' ? 'mono' : ''}>{text}</dd>
          </div>
        ))}
      </dl>
    </section>
  )
}
