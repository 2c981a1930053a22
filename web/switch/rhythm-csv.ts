import type { Rhythm } from '@pendolo/core/film'
import { FLICKS_PER_SECOND, type Flicks } from '@pendolo/core/time'

const quoted = (text: string) => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text)

/**
 * The stretches of a film as comma-separated values (RFC 4180), a row each.
 * @param label timecode of an instant of the master
 * @param name of an angle
 */
export function rhythmCsv({ stretches }: Rhythm, label: (time: Flicks) => string, name: (angleId: string) => string, frame: Flicks): string {
  const rows = stretches.map((s, i) => [
    label(s.from),
    (s.length / FLICKS_PER_SECOND).toFixed(3),
    String(Math.round(s.length / frame)),
    quoted(name(s.angleId)),
    i === 0 ? '' : s.on,
    i === 0 || s.off === null ? '' : String(s.off),
  ])
  return [['at', 'seconds', 'frames', 'angle', 'falls on', 'frames from the beat'], ...rows]
    .map((row) => row.join(','))
    .join('\r\n')
    .concat('\r\n')
}
