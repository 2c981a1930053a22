import type { Stretch } from '@pendolo/core/mix'
import { type Cutout, isPlain, isWhole, type Look, WHOLE } from '@pendolo/core/picture'
import type { Angle, Edit, PictureException, ProjectDoc } from '@pendolo/core/project'
import type { Flicks } from '@pendolo/core/time'

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
export const lookIn = ({ angle, exception }: Scope): Look | undefined => exception?.look ?? angle.look

/** Sets the framing; one that leaves an angle's pictures as they are fitted takes it away. */
export function cutoutEdit(scope: Scope, cutout: Cutout): Edit {
  const { angle, exception, end } = scope
  if (!exception) return { type: 'seeAngle', angleId: angle.id, cutout: isWhole(cutout) ? null : cutout }
  const changed = end === 'end' && exception.cutoutTo ? { cutout: exception.cutout ?? cutoutIn({ ...scope, end: 'start' }), cutoutTo: cutout } : { cutout }
  return { type: 'exceptions', exceptions: [{ ...exception, ...changed }] }
}

/** Sets the look; null is as it was recorded. */
export function lookEdit({ angle, exception }: Scope, look: Look | null): Edit {
  const plain = !look || isPlain(look)
  if (!exception) return { type: 'seeAngle', angleId: angle.id, look: plain ? null : look }
  return { type: 'exceptions', exceptions: [{ ...exception, look: plain ? {} : look }] }
}

/** Lets the framing of a stretch move, or stand as it begins. */
export function moveEdit(scope: Scope & { readonly exception: PictureException }, moves: boolean): Edit {
  const { cutoutTo, ...rest } = scope.exception
  const begun = cutoutIn({ ...scope, end: 'start' })
  return { type: 'exceptions', exceptions: [moves ? { ...rest, cutout: begun, cutoutTo: cutoutTo ?? begun } : rest] }
}

/** A stretch that is seen in another way from now on; it begins as the angle is. */
export const exceptionFor = (id: string, { id: angleId, cutout = WHOLE }: Angle, { from, to }: Stretch): PictureException => ({ id, angleId, from, to, cutout })

/** What is changed with a choice of angle and stretch; null where the angle is gone. A stretch that is gone leaves the angle. */
export function scopeOf({ angles, exceptions }: Pictured, angleId: string | null, exceptionId: string | null, end: Scope['end']): Scope | null {
  const angle = angles.find((a) => a.id === angleId)
  if (!angle) return null
  const exception = (exceptionId !== null && exceptions[exceptionId]) || null
  const own = exception?.angleId === angle.id ? exception : null
  return { angle, exception: own, end: own?.cutoutTo ? end : 'start' }
}

/** Where the playhead is to be, to see what is changed; null where it is already. */
export function placeToSee({ exception, end }: Scope, now: Flicks, frame: Flicks): Flicks | null {
  if (!exception) return null
  const { from, to, cutoutTo } = exception
  const last = Math.max(from, to - frame) as Flicks
  if (!cutoutTo) return now >= from && now < to ? null : from
  const wanted = end === 'end' ? last : from
  return now === wanted ? null : wanted
}
