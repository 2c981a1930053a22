import type { FilmWarning } from '@pendolo/core/film'
import { counted } from './count.ts'

type Of<K extends FilmWarning['kind']> = Extract<FilmWarning, { kind: K }>

/**
 * What is to be said of a warning.
 * @param name of an angle by its id
 * @param angleOf the angle of a clip by its id
 */
export function warningText(warning: FilmWarning, name: (angleId: string) => string, angleOf: (clipId: string) => string | null): string {
  const shows = (id: string | null, wanted?: string) => {
    if (id === null) return 'the film would be black'
    return id === wanted ? 'the film would hold its last picture' : `the film would show ${name(id)}`
  }
  const words: { readonly [K in FilmWarning['kind']]: (w: Of<K>) => string } = {
    dark: (w) => `${w.seconds.toFixed(1)} s: ${name(w.wanted)} has no picture there; ${shows(w.shown, w.wanted)}.`,
    unchosen: (w) => `${w.seconds.toFixed(1)} s before the first choice; ${shows(w.shown)}.`,
    short: (w) => `A stretch of only ${counted(w.frames, 'frame')}.`,
    alike: (w) => (w.jumps ? `${name(w.angleId)} jumps over what was left out.` : `A cut from ${name(w.angleId)} to the same picture: nobody will see it.`),
    'off-beat': (w) => `A cut ${counted(Math.abs(w.frames), 'frame')} ${w.frames > 0 ? 'behind' : 'before'} its beat.`,
    hurried: (w) =>
      w.frames === 0
        ? 'A transition for which there is no picture: it is a plain cut.'
        : `A transition of ${counted(w.frames, 'frame')} instead of ${w.wanted}: there is no more picture for it, or the next cut is near.`,
    sides: (w) => `From ${name(w.from)} to ${name(w.to)} the sides are changed: left and right turn around.`,
    doubtful: (w) => {
      const angle = angleOf(w.clipId)
      return `${angle === null ? 'A clip' : name(angle)} is used, but its place is only “${w.verdict}”: look at it in Line up.`
    },
  }
  return (words[warning.kind] as (w: FilmWarning) => string)(warning)
}
