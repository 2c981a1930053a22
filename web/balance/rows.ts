import { channelName, type GatheredFile, type ProjectState } from '@pendolo/api'
import { projectDesk } from '@pendolo/core/film'
import { channelsOf, type FoundChannel, isOn } from '@pendolo/core/mix'
import { type Clip, type Edit, envelopeKey, groupStripOf, isMaster, type MixRange, type Strip, type StripChange, stripOf } from '@pendolo/core/project'

/** A row of Balance: a clip, one of its channels, or a group. */
export interface SoundRow {
  /** Names its strip, its ranges and its drawn level. */
  readonly key: string
  readonly kind: 'clip' | 'channel' | 'group'
  /** How far it is set in. */
  readonly depth: number
  readonly name: string
  readonly about: string
  readonly strip: Strip
  /** Whether it is heard at all, now or in some range. */
  readonly heard: boolean
  /** Whether it is switched on. */
  readonly on: boolean
  /** Of a clip or a channel. */
  readonly clip: Clip | null
  readonly file: GatheredFile | null
  readonly channel: FoundChannel | null
  /** Rows that can be folded away under it. */
  readonly below: number
  readonly ranges: readonly MixRange[]
}

/** All rows of a project in their order: groups with what goes to them, then the rest, the master first. */
export function soundRows({ doc, files }: ProjectState, unfolded: ReadonlySet<string>): SoundRow[] {
  const byId = new Map(files.map((f) => [f.id, f]))
  const heard = new Set(projectDesk(doc, (id) => byId.get(id)?.facts).nodes.map((n) => n.key))
  const ranges = new Map<string, MixRange[]>()
  for (const range of Object.values(doc.mixRanges)) {
    const key = envelopeKey(range.clipId, range.channel)
    ranges.set(key, [...(ranges.get(key) ?? []), range])
  }
  const rank = (c: Clip) => (isMaster(doc, c.id) ? -1 : doc.angles.findIndex((a) => a.id === c.angleId))
  const clips = Object.values(doc.clips)
    .filter((c) => c.state === 'in' && doc.placements[c.id] && byId.get(c.fileId)?.facts.audio)
    .sort((a, b) => rank(a) - rank(b) || doc.placements[a.id].start - doc.placements[b.id].start)
  const groups = Object.values(doc.groups ?? {})
  const groupOf = ({ group }: Strip) => (groups.some((g) => g.id === group) ? (group as string) : null)
  const nameOf = (c: Clip) => (isMaster(doc, c.id) ? 'Master' : (doc.angles.find((a) => a.id === c.angleId)?.name ?? 'Sound'))
  const channelRow = (clip: Clip, file: GatheredFile, channel: FoundChannel, depth: number, about: string): SoundRow => {
    const key = envelopeKey(clip.id, channel.key)
    const strip = stripOf(doc, clip.id, channel.key)
    const said = clip.channels?.[channel.key]
    const name = channelName(channel, said)
    return {
      key,
      kind: 'channel',
      depth,
      name,
      about,
      strip,
      heard: heard.has(key),
      on: isOn(channel, said),
      clip,
      file,
      channel,
      below: 0,
      ranges: ranges.get(key) ?? [],
    }
  }
  const clipRows = (clip: Clip, depth: number): SoundRow[] => {
    const file = byId.get(clip.fileId) as GatheredFile
    const channels = channelsOf(file.facts.audio as NonNullable<GatheredFile['facts']['audio']>)
    const own = channels.filter((c) => groupOf(stripOf(doc, clip.id, c.key)) === null)
    const strip = stripOf(doc, clip.id)
    const row: SoundRow = {
      key: clip.id,
      kind: 'clip',
      depth,
      name: nameOf(clip),
      about: file.name,
      strip,
      heard: heard.has(clip.id),
      on: strip.on,
      clip,
      file,
      channel: null,
      below: channels.length > 1 ? channels.length : 0,
      ranges: ranges.get(clip.id) ?? [],
    }
    return [row, ...(unfolded.has(clip.id) && channels.length > 1 ? own.map((c) => channelRow(clip, file, c, depth + 1, `${c.number}`)) : [])]
  }
  const out: SoundRow[] = []
  for (const { id, name } of groups) {
    const strip = groupStripOf(doc, id)
    const members = clips.flatMap((clip): SoundRow[] => {
      if (groupOf(stripOf(doc, clip.id)) === id) return clipRows(clip, 1)
      const file = byId.get(clip.fileId) as GatheredFile
      return channelsOf(file.facts.audio as NonNullable<GatheredFile['facts']['audio']>)
        .filter((c) => groupOf(stripOf(doc, clip.id, c.key)) === id)
        .map((c) => channelRow(clip, file, c, 1, `${nameOf(clip)}, ${c.number}`))
    })
    const row: SoundRow = {
      key: id,
      kind: 'group',
      depth: 0,
      name,
      about: members.length === 1 ? '1 sound' : `${members.length} sounds`,
      strip,
      heard: heard.has(id),
      on: strip.on,
      clip: null,
      file: null,
      channel: null,
      below: members.length,
      ranges: [],
    }
    out.push(row, ...(unfolded.has(id) ? members : []))
  }
  for (const clip of clips) if (groupOf(stripOf(doc, clip.id)) === null) out.push(...clipRows(clip, 0))
  return out
}

/** Rows that are called so, and that are heard where only these are wanted; a recording stays above the channels of it that are found. */
export function rowsFound(rows: readonly SoundRow[], find: string, onlyHeard: boolean): SoundRow[] {
  const wanted = (r: SoundRow) => (!onlyHeard || r.heard) && `${r.name} ${r.about}`.toLowerCase().includes(find.toLowerCase())
  const above = new Set(rows.filter((r) => r.kind === 'channel' && wanted(r)).map((r) => r.clip))
  return rows.filter((r) => wanted(r) || (r.kind === 'clip' && above.has(r.clip)))
}

/** The edit that changes the strip of a row. */
export function stripEdit({ kind, key, clip, channel }: SoundRow, change: StripChange): Edit {
  if (!clip || kind === 'group') return { type: 'group', groupId: key, change }
  return { type: 'strip', clipId: clip.id, ...(channel && { channel: channel.key }), change }
}

/** The edit that switches a row on or off: a channel for everybody downstream. */
export function onEdit(row: SoundRow, on: boolean): Edit {
  if (row.kind === 'channel' && row.clip && row.channel) return { type: 'channel', clipId: row.clip.id, channel: row.channel.key, change: { on } }
  return stripEdit(row, { on })
}

/** The edit that draws the level of a row. */
export function levelEdit({ kind, key, clip, channel }: SoundRow, points: Extract<Edit, { type: 'groupEnvelope' }>['points']): Edit {
  if (!clip || kind === 'group') return { type: 'groupEnvelope', groupId: key, points }
  return { type: 'envelope', clipId: clip.id, ...(channel && { channel: channel.key }), points }
}
