import { type Points, pointAt, type SwitchPoint } from '../cut/index.ts'
import { type Cut, type FileFacts, type Layer, type PictureSpan, type ProjectDoc, pictureSpans, projectRate, standInOrder } from '../project/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks, nextFrameStart, programmeLength, type Rate, runAt, ZERO } from '../time/index.ts'
import { darkOf, type EndFades, type Giving, givingAt, type Passage, passageAt, passagesIn } from './giving.ts'
import { type Material, type PlannedStretch, planFilm } from './plan.ts'
import { type Bounds, boundsOf, type FilmRun, filmRuns } from './programme.ts'
import { Pictures, type Shown } from './seen.ts'

/** What is seen at one instant of a film. */
export interface Seen extends Shown {
  readonly run: FilmRun
  /** Master time that is shown; null on a card. */
  readonly master: Flicks | null
  /** What is seen together with it where one picture gives way to another. */
  readonly with: Giving | null
  /** From the lowest to the highest. */
  readonly layers: readonly Layer[]
}

/** A stretch of a film with a single source. */
export interface FilmStretch extends Shown {
  /** Half-open range of programme time. */
  readonly at: Flicks
  readonly length: Flicks
  /** Master time at its beginning; null on a card. */
  readonly from: Flicks | null
  readonly run: FilmRun
}

/** A stretch of a film in which a second picture is seen together with the first. */
export interface GivingStretch extends FilmStretch {
  readonly from: Flicks
  readonly passage: Passage
}

/** A stretch of a film in which a layer lies over the picture. */
export interface LayerStretch {
  readonly layer: Layer
  /** Half-open range of programme time, and master time at its beginning. */
  readonly at: Flicks
  readonly length: Flicks
  readonly from: Flicks
}

/** A stretch in which an angle is seen small over the picture, or behind it. */
export interface InsetStretch extends LayerStretch, Shown {}

/** The versions of a project as a film needs them. */
export interface Versions {
  readonly points: (cutId: string) => Points
  readonly layers: (cutId: string) => readonly Layer[]
  /** How long the picture of the film comes out of black, and goes into it. */
  readonly fades?: EndFades
}

const NO_FADES: EndFades = { in: ZERO, out: ZERO }
const NOTHING: Shown = { wanted: null, angleId: null, clipId: null, standIn: false, stillAt: null }

/** Answers what a film shows: at an instant in O(log n), or all of it as a plan. Wall, score, film and exchange files all ask here. */
export class FilmResolver {
  readonly runs: readonly FilmRun[]
  readonly #pictures: Pictures
  readonly #material: Material
  readonly #versions: Versions

  constructor(runs: readonly FilmRun[], material: Material, versions: Versions) {
    this.runs = runs
    this.#material = material
    this.#versions = versions
    this.#pictures = new Pictures(material.spans, material.order, material.standIn)
  }

  /** How long the film is, flicks. */
  get length(): Flicks {
    return programmeLength(this.runs)
  }

  /** Share of black over all that is seen at an instant of the film, 0..1. */
  darkAt(time: Flicks): number {
    return darkOf(time, this.length, this.fades)
  }

  /** How long the picture comes out of black at the beginning, and goes into it at the end. */
  get fades(): EndFades {
    return this.#versions.fades ?? NO_FADES
  }

  /** Master time that the film shows at an instant of its own; null on a card. Outside of the film its nearest end. */
  masterAt(time: Flicks): Flicks | null {
    const last = this.runs.at(-1)
    if (!last) return null
    const run = runAt(this.runs, time) ?? (time < last.at ? this.runs[0] : last)
    return run.from === null ? null : flicks(run.from + Math.max(0, Math.min(run.length, time - run.at)))
  }

  /** Words of the card that stands at an instant of the film, empty where it is black; null where there is none. */
  cardAt(time: Flicks): string | null {
    const run = runAt(this.runs, time)
    return run && run.from === null ? (run.text ?? '') : null
  }

  /** What an angle shows at an instant of the master: the take that is asked for, else its newest. */
  clipAt(angleId: string, master: Flicks, clipId?: string): PictureSpan | null {
    return this.#pictures.clipAt(angleId, master, clipId)
  }

  /** What an angle shows at an instant of the master as a version has it: the take that is chosen there, else as {@link clipAt}. */
  takeIn(cutId: string, angleId: string, master: Flicks): PictureSpan | null {
    const points = this.#versions.points(cutId)
    const choice = points[pointAt(points, master)]
    return this.clipAt(angleId, master, choice?.angleId === angleId ? choice.clipId : undefined)
  }

  /** The takes of an angle that have a picture at an instant of the master; that which is shown unless another is chosen first. */
  takesAt(angleId: string, master: Flicks): string[] {
    return this.#pictures.takesAt(angleId, master)
  }

  /** What a version shows at an instant of the master, whether its programme keeps that or not. */
  shownAt(cutId: string, master: Flicks): Shown {
    const points = this.#versions.points(cutId)
    return this.#pictures.shown(points[pointAt(points, master)] ?? null, master)
  }

  /** What the film shows at an instant of programme time; null outside of it. */
  seenAt(time: Flicks): Seen | null {
    const run = runAt(this.runs, time)
    if (!run) return null
    if (run.from === null) return { ...NOTHING, run, master: null, with: null, layers: [] }
    const master = flicks(run.from + (time - run.at))
    const points = this.#versions.points(run.cutId)
    const shown = this.#pictures.shown(points[pointAt(points, master)] ?? null, master)
    return { ...shown, run, master, with: givingAt(points, master, this.#pictures), layers: this.layersAt(run.cutId, master) }
  }

  /** What is seen together with the picture of a version at an instant of the master, where one gives way to another. */
  givingAt(cutId: string, master: Flicks): Giving | null {
    return givingAt(this.#versions.points(cutId), master, this.#pictures)
  }

  /** What lies over a version's picture at an instant of the master, from the lowest to the highest. */
  layersAt(cutId: string, master: Flicks): Layer[] {
    return this.#versions.layers(cutId).filter((l) => l.from <= master && master < l.to)
  }

  /** All that is seen of a version in a range of the master's time, whether its programme keeps that or not: its pictures, those together with them, and layers. */
  shownIn(cutId: string, from: Flicks, to: Flicks): { stretches: PlannedStretch[]; passages: Passage[]; others: PlannedStretch[]; layers: Layer[] } {
    const points = this.#versions.points(cutId)
    const layers = this.#versions.layers(cutId).filter((l) => l.from < to && l.to > from)
    const passages = passagesIn(points, from, to, this.#pictures)
    const given = passages.flatMap(({ at, half, before, after }) =>
      [before, after].flatMap((choice) => planFilm([{ ...choice, time: flicks(at - half) }], this.#material, flicks(at - half), flicks(at + half))),
    )
    const small = layers.flatMap(({ angleId, from: begin, to: end }) =>
      angleId === undefined
        ? []
        : planFilm([{ time: begin, angleId }], { ...this.#material, standIn: 'black' }, flicks(Math.max(from, begin)), flicks(Math.min(to, end))),
    )
    return { stretches: planFilm(points, this.#material, from, to), passages, others: [...given, ...small], layers }
  }

  /** Where the film has layers: by runs, and within one from the lowest to the highest. */
  layerStretches(): LayerStretch[] {
    return this.runs.flatMap((run) => {
      if (run.from === null) return []
      const [from, to] = [run.from, flicks(run.from + run.length)]
      return this.#versions.layers(run.cutId).flatMap((layer): LayerStretch[] => {
        const [begin, end] = [Math.max(from, layer.from), Math.min(to, layer.to)]
        return end > begin ? [{ layer, at: flicks(run.at + (begin - from)), length: flicks(end - begin), from: flicks(begin) }] : []
      })
    })
  }

  /** Where the film has insets and backgrounds of other angles, each stretch with one source; where the angle is dark there is none. */
  insetStretches(): InsetStretch[] {
    return this.layerStretches().flatMap(({ layer, at, length, from }) => {
      if ((layer.kind !== 'inset' && layer.kind !== 'background') || layer.angleId === undefined) return []
      const own = { ...this.#material, standIn: 'black' as const }
      return planFilm([{ time: from, angleId: layer.angleId }], own, from, flicks(from + length)).flatMap(({ start, end, ...shown }) =>
        shown.clipId === null ? [] : [{ layer, ...shown, at: flicks(at + (start - from)), length: flicks(end - start), from: start }],
      )
    })
  }

  /** The transitions of a version, each as long as it can be, in order. */
  passages(cutId: string): Passage[] {
    const points = this.#versions.points(cutId)
    return points.flatMap((_, i) => passageAt(points, i, this.#pictures) ?? [])
  }

  /** Where the film shows two pictures together, in order; each with one other source. */
  givings(): GivingStretch[] {
    return this.runs.flatMap((run): GivingStretch[] => {
      if (run.from === null) return []
      const [from, to] = [run.from, flicks(run.from + run.length)]
      return passagesIn(this.#versions.points(run.cutId), from, to, this.#pictures).flatMap((passage) => {
        const { at, half, before, after } = passage
        const sides = [
          { choice: after, start: flicks(Math.max(from, at - half)), end: flicks(Math.min(to, at)) },
          { choice: before, start: flicks(Math.max(from, at)), end: flicks(Math.min(to, at + half)) },
        ]
        return sides.flatMap(({ choice, start, end }) =>
          planFilm([{ ...choice, time: start }], this.#material, start, end).map(({ start: begins, end: ends, ...shown }) => ({
            ...shown,
            at: flicks(run.at + (begins - from)),
            length: flicks(ends - begins),
            from: begins,
            run,
            passage,
          })),
        )
      })
    })
  }

  /** The whole film as stretches that tile it. */
  plan(): FilmStretch[] {
    return this.runs.flatMap((run): FilmStretch[] => {
      if (run.from === null) return [{ ...NOTHING, at: run.at, length: run.length, from: null, run }]
      const from = run.from
      return planFilm(this.#versions.points(run.cutId), this.#material, from, flicks(from + run.length)).map(({ start, end, ...shown }) => ({
        ...shown,
        at: flicks(run.at + (start - from)),
        length: flicks(end - start),
        from: start,
        run,
      }))
    })
  }
}

/** Layers of a version, from the lowest to the highest. */
export const layersOf = (cut: Cut): Layer[] => Object.values(cut.layers).sort((a, b) => a.height - b.height || a.from - b.from)

/** A film whose points and pictures stand on a frame grid: a frame shows what is seen at its start. */
function snapped(points: Points, rate: Rate): Points {
  const out: SwitchPoint[] = []
  for (const point of points) {
    const time = nextFrameStart(point.time, rate)
    // Of two in one frame only the later is ever seen.
    if (out.at(-1)?.time === time) out.pop()
    out.push(time === point.time ? point : { ...point, time })
  }
  return out
}

/** Borders of a span on a frame grid: a frame has the clip's picture when its start lies in the span. */
export function spanOnGrid(span: PictureSpan, rate: Rate): PictureSpan {
  return { ...span, start: nextFrameStart(span.start, rate), end: nextFrameStart(span.end, rate), until: span.end }
}

export interface FilmOptions {
  /** Version; the one at hand where none is named. */
  readonly cutId?: string
  /** Points and borders of clips are moved to the project's frames, as they are in the film. */
  readonly onGrid?: boolean
  /** Half-open range of the master's time to which the film is limited. */
  readonly part?: { readonly from: Flicks; readonly to: Flicks }
}

/** The film of a version of a project. O(n log n) in points, clips and pieces; ask {@link FilmResolver} for the rest. */
export function filmOf(
  doc: ProjectDoc,
  factsOf: (fileId: string) => FileFacts | undefined,
  { cutId, onGrid = false, part }: FilmOptions = {},
): FilmResolver & { bounds: Bounds } {
  const rate = projectRate(doc.settings)
  const bounds = boundsOf(doc, factsOf)
  const cut = cutId === undefined ? activeCut(doc) : (doc.cuts.find((c) => c.id === cutId) ?? activeCut(doc))
  const spans = pictureSpans(doc, factsOf)
  const byId = new Map(doc.cuts.map((c) => [c.id, c]))
  const points = new Map<string, Points>()
  const pointsFor = (id: string): Points => {
    let list = points.get(id)
    if (!list) {
      const version = byId.get(id)
      list = version ? version.points : []
      if (onGrid) list = snapped(list, rate)
      points.set(id, list)
    }
    return list
  }
  const resolver = new FilmResolver(
    part
      ? limited(
          filmRuns(doc, cut, bounds),
          nextFrameStart(part.from, rate),
          nextFrameStart(flicks(Math.min(part.to, bounds.event.end + FLICKS_PER_SECOND)), rate),
        )
      : filmRuns(doc, cut, bounds),
    { spans: onGrid ? spans.map((s) => spanOnGrid(s, rate)) : spans, order: standInOrder(doc), standIn: doc.settings.standIn },
    { points: pointsFor, layers: (id) => layersOf(byId.get(id) ?? cut), fades: { in: cut.fadeIn ?? ZERO, out: cut.fadeOut ?? ZERO } },
  )
  return Object.assign(resolver, { bounds })
}

/** What of a programme shows a range of the master; cards go with what follows them. */
function limited(runs: readonly FilmRun[], from: Flicks, to: Flicks): FilmRun[] {
  const out: FilmRun[] = []
  let at: number = 0
  let cards: FilmRun[] = []
  const push = (run: FilmRun) => {
    out.push({ ...run, at: flicks(at) })
    at += run.length
  }
  for (const run of runs) {
    if (run.from === null) {
      cards.push(run)
      continue
    }
    const begin = Math.max(run.from, from)
    const end = Math.min(run.from + run.length, to)
    if (end > begin) {
      for (const card of cards) push(card)
      push({ ...run, from: flicks(begin), length: flicks(end - begin) })
    }
    cards = []
  }
  return out
}

/** The version that is worked on. */
export function activeCut(doc: Pick<ProjectDoc, 'cuts' | 'activeCutId'>): Cut {
  return doc.cuts.find((c) => c.id === doc.activeCutId) ?? doc.cuts[0]
}
