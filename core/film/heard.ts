import {
  channelsOf,
  type DeskNode,
  decibelsToGain,
  drawnCurve,
  type HeardChannel,
  heardChannels,
  isChanged,
  isOn,
  isSilent,
  type LevelCurve,
  MIN_GAIN_DB,
  masterShares,
  onCurve,
  type Processing,
  panned,
} from '../mix/index.ts'
import { type Clip, envelopeKey, type FileFacts, groupStripOf, type MixRange, type ProjectDoc, type Strip, stripOf } from '../project/index.ts'
import { clipToMaster, FLICKS_PER_SECOND, type Flicks, secondsToFlicks, ZERO } from '../time/index.ts'

/** What an input of the desk is: a clip as it was found, or one of its channels. */
export interface DeskSource {
  readonly clipId: string
  /** As `channelKey` writes it; null: all of the clip in two channels. */
  readonly channel: string | null
  /** Which channel of its file, counted from 1 over all streams; 0 for all of it. */
  readonly number: number
}

/** The desk of a project: what goes into it, by number of the input, and its strips. */
export interface ProjectDesk {
  readonly sources: readonly DeskSource[]
  readonly nodes: readonly DeskNode[]
}

export interface HeardWishes {
  /** Whether the channels of a clip can be told apart; absent: all can. */
  readonly canBeApart?: (clip: Clip) => boolean
  /** Clips that cannot be heard at all are left out. */
  readonly canBeHeard?: (clip: Clip) => boolean
}

interface Leaf {
  readonly source: DeskSource
  readonly strips: readonly Strip[]
  readonly node: Omit<DeskNode, 'input' | 'into'>
  /** Key of the strip that it goes to; null: the programme. */
  readonly into: string | null
}

/**
 * What of a project is heard, and through which strips: the one place that playback, film and measuring go by. A clip is
 * taken apart into its channels where something was said of one of them.
 * @param factsOf facts of a gathered file; clips without sound are left out
 */
export function projectDesk(doc: ProjectDoc, factsOf: (fileId: string) => FileFacts | undefined, wishes: HeardWishes = {}): ProjectDesk {
  const { canBeApart = () => true, canBeHeard = () => true } = wishes
  const clips = Object.values(doc.clips).filter((c) => c.state === 'in' && doc.placements[c.id] && factsOf(c.fileId)?.audio && canBeHeard(c))
  const shares = shareCurves(doc, factsOf)
  const ranges = rangesByKey(doc)
  const solo = clips.some((c) => soloIn(doc, c)) || Object.keys(doc.groups ?? {}).some((id) => wins(groupStripOf(doc, id)))
  const leaves: Leaf[] = []
  const through = new Map<string, Omit<DeskNode, 'input' | 'into'> & { into: string | null }>()
  for (const clip of clips) {
    const facts = factsOf(clip.fileId) as FileFacts
    const strip = stripOf(doc, clip.id)
    const group = knownGroup(doc, strip)
    const levels = levelsOf(doc, clip.id, strip.on, ranges, shares.get(clip.id))
    const [left, right] = sidesOf(strip, 1, 1)
    const own = { key: clip.id, left, right, levels, processing: processingOf(strip), delay: 0 }
    // Repairs are done to what comes from outside: where that are the channels, to each of them.
    const { repair, ...together } = own.processing
    const chain = [strip, ...(group ? [groupStripOf(doc, group)] : [])]
    const apart = canBeApart(clip) ? channelsApart(doc, clip, facts, ranges) : null
    if (!apart) leaves.push({ source: { clipId: clip.id, channel: null, number: 0 }, strips: chain, node: own, into: group })
    for (const { channel, key } of apart ?? []) {
      const strip = stripOf(doc, clip.id, key)
      const said = clip.channels?.[key]
      const mine = knownGroup(doc, strip)
      const [l, r] = sidesOf(strip, channel.left, channel.right)
      const found = channelsOf(facts.audio as NonNullable<FileFacts['audio']>)[channel.number - 1]
      const drawn = levelsOf(doc, envelopeKey(clip.id, key), isOn(found, said) && strip.on, ranges)
      // What has a group of its own leaves its clip behind the level of that, and goes past what else its strip does.
      const node = {
        key: envelopeKey(clip.id, key),
        left: mine ? l * left : l,
        right: mine ? r * right : r,
        levels: mine ? [...drawn, ...levels] : drawn,
        processing: { ...(repair && { repair }), ...processingOf(strip) },
        delay: (said?.delay ?? 0) / FLICKS_PER_SECOND,
      }
      const strips = mine ? [strip, chain[0], groupStripOf(doc, mine)] : [strip, ...chain]
      leaves.push({ source: { clipId: clip.id, channel: key, number: channel.number }, strips, node, into: mine ?? clip.id })
      through.set(clip.id, { ...own, processing: together, into: group })
    }
  }
  for (const id of Object.keys(doc.groups ?? {})) {
    const strip = groupStripOf(doc, id)
    const [left, right] = sidesOf(strip, 1, 1)
    through.set(id, { key: id, left, right, levels: levelsOf(doc, id, strip.on, ranges), processing: processingOf(strip), delay: 0, into: null })
  }
  return laidOut(
    leaves.filter(
      ({ strips, node }) =>
        !strips.some((s) => s.mute) && (!solo || strips.some((s) => s.solo)) && !node.levels.some(isSilent) && (node.left !== 0 || node.right !== 0),
    ),
    through,
  )
}

/** Inputs and strips in the order in which they run: channels, clips, groups; what nothing goes to is left out. */
function laidOut(leaves: readonly Leaf[], through: ReadonlyMap<string, Omit<DeskNode, 'input' | 'into'> & { into: string | null }>): ProjectDesk {
  const used = new Set<string>()
  for (const leaf of leaves) for (let key = leaf.into; key !== null; key = through.get(key)?.into ?? null) used.add(key)
  const keys = [...through.keys()].filter((key) => used.has(key)).sort((a, b) => Number(through.get(a)?.into === null) - Number(through.get(b)?.into === null))
  const index = (into: string | null) => (into === null ? null : leaves.length + keys.indexOf(into))
  return {
    sources: leaves.map((leaf) => leaf.source),
    nodes: [
      ...leaves.map(({ node, into }, input) => ({ ...node, input, into: index(into) })),
      ...keys.map((key) => {
        const { into, ...node } = through.get(key) as Omit<DeskNode, 'input' | 'into'> & { into: string | null }
        return { ...node, input: null, into: index(into) }
      }),
    ],
  }
}

const wins = (strip: Strip): boolean => strip.on && strip.solo && !strip.mute

function soloIn(doc: ProjectDoc, clip: Clip): boolean {
  if (wins(stripOf(doc, clip.id))) return true
  const prefix = envelopeKey(clip.id, '')
  return Object.entries(doc.strips).some(([key, strip]) => key.startsWith(prefix) && wins(strip))
}

const knownGroup = (doc: ProjectDoc, { group }: Strip): string | null => (group !== undefined && doc.groups && Object.hasOwn(doc.groups, group) ? group : null)

function processingOf({ repair, highPassHz, bands, gate, compressor }: Strip): Processing {
  return { ...(repair && { repair }), ...(highPassHz && { highPassHz }), ...(bands && { bands }), ...(gate && { gate }), ...(compressor && { compressor }) }
}

/** Factors of a strip for left and right, of what goes there by itself. */
function sidesOf({ gainDb, pan }: Strip, left: number, right: number): readonly [number, number] {
  const gain = gainDb <= MIN_GAIN_DB ? 0 : decibelsToGain(gainDb)
  if (pan === undefined) return [gain * left, gain * right]
  const [l, r] = panned(pan)
  // Who puts a channel somewhere takes it from where it was.
  const level = Math.abs(left) > Math.abs(right) ? left : right
  return [gain * level * l, gain * level * r]
}

function levelsOf(doc: ProjectDoc, key: string, on: boolean, ranges: ReadonlyMap<string, readonly MixRange[]>, share?: LevelCurve): LevelCurve[] {
  return [onCurve(on, ranges.get(key) ?? []), drawnOnce(doc.envelopes[key]), ...(share ? [share] : [])].filter((c) => c.points.length > 0)
}

const drawn = new WeakMap<object, LevelCurve>()

/** A drawn level as a curve, the same one as long as nothing is drawn anew. */
function drawnOnce(envelope: ProjectDoc['envelopes'][string] | undefined): LevelCurve {
  if (!envelope) return drawnCurve()
  let curve = drawn.get(envelope)
  if (!curve) {
    curve = drawnCurve(envelope)
    drawn.set(envelope, curve)
  }
  return curve
}

function rangesByKey(doc: ProjectDoc): Map<string, MixRange[]> {
  const out = new Map<string, MixRange[]>()
  for (const range of Object.values(doc.mixRanges)) {
    const key = envelopeKey(range.clipId, range.channel)
    const list = out.get(key)
    if (list) list.push(range)
    else out.set(key, [range])
  }
  return out
}

/** The channels of a clip that are heard, each by itself, where something was said of one of them; else null. */
function channelsApart(
  doc: ProjectDoc,
  clip: Clip,
  { audio }: FileFacts,
  ranges: ReadonlyMap<string, readonly MixRange[]>,
): { channel: HeardChannel; key: string }[] | null {
  if (!audio) return null
  const all = channelsOf(audio)
  const said = clip.channels ?? {}
  const named = all.filter(({ key }) => {
    const own = envelopeKey(clip.id, key)
    return Object.hasOwn(doc.strips, own) || Object.hasOwn(doc.envelopes, own) || ranges.has(own) || said[key]?.delay
  })
  if (named.length === 0 && !isChanged(audio, said)) return null
  // What is off may be on for a while.
  const wanted = Object.fromEntries(
    all.map(({ key }) => [key, { ...said[key], ...(ranges.get(envelopeKey(clip.id, key))?.some((r) => r.on) && { on: true }) }]),
  )
  return heardChannels(audio, wanted).map((channel) => ({ channel, key: all[channel.number - 1].key }))
}

/** Recordings that are the master together, on its time. */
export function masterRecordings(
  { master, clips, placements }: Pick<ProjectDoc, 'master' | 'clips' | 'placements'>,
  factsOf: (fileId: string) => FileFacts | undefined,
): { id: string; start: Flicks; end: Flicks }[] {
  return master.clipIds.flatMap((id) => {
    const facts = factsOf(clips[id]?.fileId ?? '')
    const placement = placements[id]
    if (!facts?.audio || !placement) return []
    return [{ id, start: clipToMaster(ZERO, placement), end: clipToMaster(secondsToFlicks(facts.durationSeconds), placement) }]
  })
}

/** How they give way to each other; empty where there is but one. */
function shareCurves(doc: ProjectDoc, factsOf: (fileId: string) => FileFacts | undefined): ReadonlyMap<string, LevelCurve> {
  const { clipIds, join, fade } = doc.master
  if (clipIds.length < 2) return new Map()
  return masterShares(masterRecordings(doc, factsOf), join, fade)
}
