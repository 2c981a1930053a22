import { filmOf, type PreparedRange, preparedKey, wholeFrames } from '@pendolo/core/film'
import { layOut } from '@pendolo/core/formats'
import { type ProjectDoc, projectRate } from '@pendolo/core/project'
import { type Flicks, flicks, printTimecode } from '@pendolo/core/time'
import { needRoom } from '../disk.ts'
import { artefactPath, hasArtefact } from '../media/artefacts.ts'
import { MediaError } from '../media/words.ts'
import type { JobOutcome, JobRun } from '../ports/queue.ts'
import { exchangeFiles, type Workshop } from './workshop.ts'

/** Size of the pictures at most: that of the sharper light copy. */
const [WIDTH, HEIGHT] = [960, 540]
/** Bytes a pixel. */
const BYTES = 0.02

interface Asked {
  readonly cutId: string
  /** Flicks. */
  readonly from: number
  readonly to: number
}

const rangeOf = (doc: ProjectDoc, { cutId, from, to }: Asked): PreparedRange => wholeFrames(doc, { cutId, from: flicks(from), to: flicks(to) })

/** A range by its timecodes. */
export function rangeName(doc: ProjectDoc, asked: Asked): string {
  const { settings } = doc
  const { from, to } = rangeOf(doc, asked)
  const label = (t: Flicks) => printTimecode(t, { rate: projectRate(settings), dropFrame: settings.dropFrame }, settings.startFrame)
  return `${label(from)} – ${label(to)}`
}

/** The project with a version that is nothing but one range of it; what is seen at the ends of a film does not belong to it. */
export function onlyRange(doc: ProjectDoc, { cutId, from, to }: PreparedRange): ProjectDoc {
  const cuts = doc.cuts.map((c) => {
    if (c.id !== cutId) return c
    const { fadeIn: _, fadeOut: __, ...rest } = c
    return { ...rest, pieces: [{ kind: 'range' as const, id: 'prepared', from, to }] }
  })
  return { ...doc, cuts, activeCutId: cutId }
}

/** Makes the pictures of a range with all that lies over them, light, for machines that cannot show it as it plays. */
export async function prepare(shop: Workshop, run: JobRun): Promise<JobOutcome> {
  const { config, store } = shop
  const doc = await store.doc(run.projectId)
  const rows = await store.files(run.projectId)
  const range = rangeOf(doc, run.payload as Asked)
  if (!doc.cuts.some((c) => c.id === range.cutId)) throw new MediaError('this version of the cut is gone')
  const [facts, content] = [new Map(rows.map((r) => [r.id, r.facts])), new Map(rows.map((r) => [r.id, r.contentKey]))]
  const film = filmOf(doc, (id) => facts.get(id), { cutId: range.cutId })
  const key = preparedKey(doc, film, (id) => content.get(id), range)
  if (!hasArtefact(config, key, 'prepared')) {
    const exchange = layOut('', onlyRange(doc, range), exchangeFiles(rows), { cutId: range.cutId })
    const { width, height } = doc.settings
    const scale = Math.min(1, WIDTH / width, HEIGHT / height)
    const size = { width: 2 * Math.round((width * scale) / 2), height: 2 * Math.round((height * scale) / 2) }
    await needRoom(config, config.artefacts, BYTES * size.width * size.height * (exchange.toFrame - exchange.fromFrame), 'the pictures for playing')
    const task = { kind: 'prepare', config, exchange, size, out: artefactPath(config, key, 'prepared') } as const
    await shop.analysis.run(task, run.signal, (share, detail) => run.report(share, detail))
  }
  return { detail: { code: 'ready' }, result: { ...range, key } }
}
