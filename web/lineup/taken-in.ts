import type { GatheredFile, ProjectState } from '@pendolo/api'
import { type OtioPlacement, readOtioPlacements } from '@pendolo/core/formats'
import { type Clip, clockOf, type Edit, type Placement } from '@pendolo/core/project'
import { placementFromSeconds } from '@pendolo/core/time'

export interface TakenIn {
  readonly edit: Edit | null
  readonly placed: number
  /** Clips that the file names but that are locked, clips that are aside, and sources that the project has not. */
  readonly locked: number
  readonly aside: number
  readonly unknown: number
  /** Clips of one name that nothing told apart; they are placed to be checked. */
  readonly doubtful: number
}

/** A source of the file and a clip that may be the same recording. */
interface Pair {
  readonly source: OtioPlacement
  readonly clip: Clip
  readonly points: number
}

/** Lengths that differ by less are the same, s: programs round to frames. */
const SAME_LENGTH = 0.1
/** What speaks for and against one recording behind two addresses of one name. */
const FOR_A_FOLDER = 1
const MOST_FOLDERS = 5
const FOR_THE_LENGTH = 4
const SHORTER = -1
const LONGER = -8

/** How much speaks for a file being the source: folders of its address, and its length. */
function points({ address, lastsSeconds }: OtioPlacement, { path, facts }: GatheredFile): number {
  const [a, b] = [address.split(/[\\/]/).reverse(), path.split(/[\\/]/).reverse()]
  let folders = 0
  while (folders < MOST_FOLDERS && a[folders + 1] && a[folders + 1] === b[folders + 1]) folders++
  const longer = (lastsSeconds ?? 0) - facts.durationSeconds
  // Some programs tell only the part that they use.
  const lengths = lastsSeconds === null ? 0 : Math.abs(longer) <= SAME_LENGTH ? FOR_THE_LENGTH : longer > 1 ? LONGER : SHORTER
  return folders * FOR_A_FOLDER + lengths
}

/** Nothing is used of a recording that is not there; what a program says of its whole length may be wrong. */
const fits = ({ endsSeconds }: OtioPlacement, { facts }: GatheredFile): boolean => endsSeconds <= facts.durationSeconds + 1

/**
 * What an exchange file of another program says of this project's clips: files are known by their names, and those of one
 * name by their folders and lengths; each source is one clip. Times are moved so that the master lies where it lies here.
 * @throws OtioError when the text is no such file
 */
export function takeIn({ doc, files }: ProjectState, text: string, from: string): TakenIn {
  const said = readOtioPlacements(text)
  const fileOf = new Map(files.map((f) => [f.id, f]))
  const pairs = said.flatMap((source) =>
    Object.values(doc.clips).flatMap((clip): Pair[] => {
      const file = fileOf.get(clip.fileId)
      return file?.name === source.fileName && fits(source, file) ? [{ source, clip, points: points(source, file) }] : []
    }),
  )
  const { chosen, doubted } = assigned(pairs)
  const clock = clockOf(doc)
  const master = chosen.find(({ clip }) => clip.id === clock)?.source
  const placements: Record<string, Placement> = {}
  let [locked, aside] = [0, 0]
  for (const { source, clip } of chosen) {
    if (clip.id === clock) continue
    if (clip.state === 'aside') aside++
    else if (doc.placements[clip.id]?.locked) locked++
    else {
      const { start, rate } = placementFromSeconds(source.startSeconds - (master?.startSeconds ?? 0), source.rate)
      const verdict = doubted.has(clip.id) ? ({ verdict: 'check', confidence: 0.4 } as const) : ({ verdict: 'sure', confidence: 0.9 } as const)
      placements[clip.id] = {
        start,
        rate,
        method: 'exchange',
        ...verdict,
        why: [{ code: doubted.has(clip.id) ? 'exchange-doubt' : 'exchange', file: from }],
        locked: false,
      }
    }
  }
  const placed = Object.keys(placements).length
  const edit: Edit | null = placed > 0 ? { type: 'place', by: 'hand', placements, loose: {} } : null
  const doubtful = Object.values(placements).filter((p) => p.verdict === 'check').length
  return { edit, placed, locked, aside, doubtful, unknown: said.length - chosen.length }
}

/** Each source to one clip and each clip to one source, those for which most speaks first. */
function assigned(pairs: readonly Pair[]): { chosen: Pair[]; doubted: ReadonlySet<string> } {
  const chosen: Pair[] = []
  const doubted = new Set<string>()
  let open = [...pairs].sort((a, b) => b.points - a.points)
  while (open.length > 0) {
    const [best] = open
    const rivals = open.filter((p) => p !== best && (p.source === best.source || p.clip.id === best.clip.id))
    // Of several that are alike none is sure.
    if (rivals.some((p) => p.points >= best.points)) doubted.add(best.clip.id)
    chosen.push(best)
    open = open.filter((p) => p.source !== best.source && p.clip.id !== best.clip.id)
  }
  return { chosen, doubted }
}
