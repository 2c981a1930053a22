import type { Stretch } from '@pendolo/core/mix'
import { type Cutout, isPlain, isWhole, type Look, type Pace, WHOLE } from '@pendolo/core/picture'
import type { Angle, Edit, PictureException, ProjectDoc } from '@pendolo/core/project'
import { type Flicks, flicks } from '@pendolo/core/time'

/** What of an angle is changed: all of it, or one stretch, whose framing may have a beginning and an end. */
export interface Scope {
  readonly angle: Angle
  readonly exception: PictureException | null
  readonly end: 'start' | 'end'
}

type Pictured = Pick<ProjectDoc, 'angles' | 'exceptions'>

/** Stretches in which an angle is seen in another way, in order. */
export const exceptionsOf = ({ exceptions }: Pick<ProjectDoc, 'exceptions'>, angleId: string): PictureException[] =>
  Object.values(exceptions)
    .filter((e) => e.angleId === angleId)
    .sort((a, b) => a.from - b.from || a.to - b.to)

/** The framing that is changed. */
export function cutoutIn({ angle, exception, end }: Scope): Cutout {
  const begun = exception?.cutout ?? angle.cutout ?? WHOLE
  return (end === 'end' ? exception?.cutoutTo : undefined) ?? begun
}

/** The look that is changed; undefined where nothing is corrected. */
export function lookIn({ angle, exception, end }: Scope): Look | undefined {
  return (end === 'end' ? exception?.lookTo : undefined) ?? exception?.look ?? angle.look
}

/** Sets the framing; one that leaves an angle's pictures as they are fitted takes it away. */
export function cutoutEdit(scope: Scope, cutout: Cutout): Edit {
  const { angle, exception, end } = scope
  if (!exception) return { type: 'seeAngle', angleId: angle.id, cutout: isWhole(cutout) ? null : cutout }
  const changed = end === 'end' && exception.cutoutTo ? { cutout: exception.cutout ?? cutoutIn({ ...scope, end: 'start' }), cutoutTo: cutout } : { cutout }
  return { type: 'exceptions', exceptions: [{ ...exception, ...changed }] }
}

/** Sets the look; null is as it was recorded. */
export function lookEdit({ angle, exception, end }: Scope, look: Look | null): Edit {
  const plain = !look || isPlain(look)
  if (!exception) return { type: 'seeAngle', angleId: angle.id, look: plain ? null : look }
  const set = plain ? {} : look
  if (end === 'end' && exception.lookTo) return { type: 'exceptions', exceptions: [{ ...exception, look: exception.look ?? angle.look ?? {}, lookTo: set }] }
  return { type: 'exceptions', exceptions: [{ ...exception, look: set }] }
}

/** Lets the framing of a stretch move, or stand as it begins. */
export function moveEdit(scope: Scope & { readonly exception: PictureException }, moves: boolean): Edit {
  const { cutoutTo, ...rest } = scope.exception
  const begun = cutoutIn({ ...scope, end: 'start' })
  return { type: 'exceptions', exceptions: [moves ? { ...rest, cutout: begun, cutoutTo: cutoutTo ?? begun } : rest] }
}

/** Lets the look of a stretch change, or stand as it begins. */
export function driftEdit(scope: Scope & { readonly exception: PictureException }, changes: boolean): Edit {
  const { lookTo, ...rest } = scope.exception
  const begun = lookIn({ ...scope, end: 'start' }) ?? {}
  return { type: 'exceptions', exceptions: [changes ? { ...rest, look: begun, lookTo: lookTo ?? begun } : rest] }
}

/** Looks that were found for parts of the time, one after the other. */
export interface LookPart extends Stretch {
  readonly look: Look
}

/** An angle whose look follows the light: from the middle of each part to that of the next it becomes the next one's. */
export function followEdit({ id: angleId }: Angle, parts: readonly LookPart[], newId: () => string): Edit {
  const middle = ({ from, to }: Stretch) => flicks(Math.round((from + to) / 2))
  const [first, last] = [parts[0], parts[parts.length - 1]]
  const between = parts.slice(1).map((next, i) => ({ from: middle(parts[i]), to: middle(next), look: parts[i].look, lookTo: next.look }))
  const all = [{ from: first.from, to: middle(first), look: first.look }, ...between, { from: middle(last), to: last.to, look: last.look }]
  return { type: 'exceptions', exceptions: all.map((one) => ({ id: newId(), angleId, ...one })) }
}

/** Sets how fast pictures of a stretch run; as they were recorded takes it away. */
export function paceEdit({ pace: _, ...rest }: PictureException, pace: Pace): Edit {
  const own = pace.start === 1 && pace.end === 1
  return { type: 'exceptions', exceptions: [own ? rest : { ...rest, pace }] }
}

/** A stretch, or a clip, that is seen in another way from now on; it begins as the angle is. */
export const exceptionFor = (id: string, { id: angleId, cutout = WHOLE }: Angle, { from, to }: Stretch, clipId?: string): PictureException => ({
  id,
  angleId,
  ...(clipId !== undefined && { clipId }),
  from,
  to,
  cutout,
})

/** What is changed with a choice of angle and stretch; null where the angle is gone. A stretch that is gone leaves the angle. */
export function scopeOf({ angles, exceptions }: Pictured, angleId: string | null, exceptionId: string | null, end: Scope['end']): Scope | null {
  const angle = angles.find((a) => a.id === angleId)
  if (!angle) return null
  const exception = (exceptionId !== null && exceptions[exceptionId]) || null
  const own = exception?.angleId === angle.id ? exception : null
  return { angle, exception: own, end: own?.cutoutTo || own?.lookTo ? end : 'start' }
}

/** Where the playhead is to be, to see what is changed; null where it is already. */
export function placeToSee({ exception, end }: Scope, now: Flicks, frame: Flicks): Flicks | null {
  if (!exception) return null
  const { from, to, cutoutTo, lookTo } = exception
  const last = Math.max(from, to - frame) as Flicks
  if (!cutoutTo && !lookTo) return now >= from && now < to ? null : from
  const wanted = end === 'end' ? last : from
  return now === wanted ? null : wanted
}
