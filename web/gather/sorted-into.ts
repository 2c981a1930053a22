import { type Angle, type DeviceRule, devicesOf, type Edit, nextHue, type ProjectDoc } from '@pendolo/core/project'
import { newId } from '../ids.ts'
import type { Row } from './order.ts'

interface Outcome {
  readonly angles: readonly { id: string; name: string; fresh: boolean; files: readonly string[]; seconds: number }[]
  readonly edits: Edit[]
}

/** A name that no angle has yet. */
function unlike(name: string, angles: readonly { name: string }[]): string {
  const taken = (one: string) => angles.some((a) => a.name.toLowerCase() === one.toLowerCase())
  let out = name
  for (let n = 2; taken(out); n++) out = `${name} ${n}`
  return out
}

const folderOf = (path: string): string | null => path.split(/[\\/]/).at(-2) ?? null

/** Which angles a rule makes of some files; one that is called so already is used, once. */
export function sortedInto(doc: ProjectDoc, rows: readonly Row[], rule: DeviceRule): Outcome {
  const byFile = new Map(rows.map((r) => [r.file.id, r]))
  const devices = devicesOf(
    rows.map(({ file }) => ({ id: file.id, name: file.name, folder: folderOf(file.path), facts: file.facts })),
    rule,
  )
  const taken = new Set<string>()
  const moving = new Set(rows.map((r) => r.clip.id))
  const keepsOne = (angleId: string, own: readonly Row[]) =>
    own.some((r) => r.clip.angleId === angleId) || Object.values(doc.clips).some((c) => c.angleId === angleId && !moving.has(c.id))
  const made = [...doc.angles]
  const angles: { id: string; name: string; fresh: boolean; files: string[]; seconds: number }[] = []
  const edits: Edit[] = []
  for (const { name, fileIds } of devices) {
    const own = fileIds.flatMap((id) => byFile.get(id) ?? [])
    const clipIds = own.map((r) => r.clip.id)
    const called = doc.angles.find((a) => a.name.toLowerCase() === name.toLowerCase() && !taken.has(a.id) && keepsOne(a.id, own))
    // Who has most of an angle goes on with it: its key, its colour and what was cut to it stay.
    const home = called ?? angleOfMost(doc, own, taken)
    const same = home && clipsOf(doc, home.id) === own.length && own.every((r) => r.clip.angleId === home.id)
    const kept = same || called ? home?.name : undefined
    const angle = { ...(home ?? { id: newId(), hue: nextHue(made), framing: 'fit' as const }), name: kept ?? unlike(name, made) }
    taken.add(angle.id)
    if (home) made[made.indexOf(home)] = angle
    else made.push(angle)
    angles.push({
      id: angle.id,
      name: angle.name,
      fresh: !home,
      files: own.map((r) => r.file.name),
      seconds: own.reduce((sum, r) => sum + r.file.facts.durationSeconds, 0),
    })
    if (home && home.name !== angle.name) edits.push({ type: 'renameAngle', angleId: home.id, name: angle.name })
    // A home keeps one of its files at least, so it is not gone before the others come.
    if (own.some((r) => r.clip.angleId !== angle.id)) edits.push({ type: 'moveClips', clipIds, angle: home ? { id: home.id } : angle })
  }
  return { angles, edits }
}

const clipsOf = (doc: ProjectDoc, angleId: string): number => Object.values(doc.clips).filter((c) => c.angleId === angleId && c.state !== 'aside').length

/** The angle that most of some files are in, unless another group has it already. */
function angleOfMost(doc: ProjectDoc, rows: readonly Row[], taken: ReadonlySet<string>): Angle | undefined {
  const count = (a: Angle) => rows.filter((r) => r.clip.angleId === a.id).length
  return doc.angles.filter((a) => !taken.has(a.id) && count(a) > 0).sort((a, b) => count(b) - count(a))[0]
}
