import { warningText } from '@pendolo/api'
import { activeCut, type FilmStretch, type FilmWarning } from '@pendolo/core/film'
import { projectRate } from '@pendolo/core/project'
import { type Flicks, flicks, printTimecode } from '@pendolo/core/time'
import { Button } from 'antd'
import { useMemo, useState } from 'react'
import { useNavigate } from 'react-router'
import { filmFor } from '../playback/film.ts'
import { filmTimeOf, type Glimpse, glimpseInFilm, glimpseName } from '../playback/glimpse.ts'
import { playClips } from '../playback/model.ts'
import { Thumb } from '../playback/thumb.tsx'
import type { PlayClip } from '../playback/types.ts'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'

/** So many are listed at once. */
const LISTED = 40

/** What the film shows at an instant of the master: of a cut that is in doubt both sides; nothing where that is left out. */
function seenThere(plan: readonly FilmStretch[], { kind, at }: FilmWarning, clips: readonly PlayClip[]): readonly (Glimpse & { readonly at: Flicks })[] {
  const time = filmTimeOf(plan, at)
  if (time === null) return []
  const ofCut = kind === 'alike' || kind === 'sides' || kind === 'hurried'
  return (ofCut && time > 0 ? [flicks(time - 1), time] : [time]).map((t) => ({ at: t, ...glimpseInFilm(plan, t, clips) }))
}

type Props = Pick<StageProps, 'project' | 'edit'> & { readonly warnings: readonly FilmWarning[] }

/** What is worth a look before the film leaves, each one press away; what was looked at can be let stand. */
export function Warnings({ project, warnings, edit }: Props) {
  const { doc } = project
  const { settings } = doc
  const navigate = useNavigate()
  const [all, setAll] = useState(false)
  const open = warnings.filter((w) => !w.accepted)
  const accepted = warnings.length - open.length
  const name = (id: string) => doc.angles.find((a) => a.id === id)?.name ?? 'an angle'
  const text = (w: FilmWarning) => warningText(w, name, (clipId) => doc.clips[clipId]?.angleId ?? null)
  const cutId = activeCut(doc).id
  const set = (list: readonly FilmWarning[], stands: boolean) =>
    edit(
      list.map((w) => ({ type: 'acceptWarning', cutId, key: w.key, accepted: stands })),
      stands ? 'let a warning stand' : 'count a warning again',
    )
  const plan = useMemo(() => filmFor(project).plan(), [project])
  const clips = useMemo(() => playClips(project), [project])
  const go = (w: FilmWarning) => {
    engine.seek(w.at)
    void navigate(`/${project.id}/${w.kind === 'doubtful' ? 'line-up' : 'switch'}`)
  }
  const shown = all ? warnings : open
  return (
    <div className="warnings">
      {open.length === 0 && <p className="quiet">Nothing to mention: every stretch has its picture.</p>}
      {shown.slice(0, LISTED).map((w) => (
        <div className={w.accepted ? 'warning accepted' : 'warning'} key={w.key}>
          <div className="there">
            {seenThere(plan, w, clips).map((seen) => (
              <Thumb key={seen.at} clip={seen.clip} time={seen.time} label={`There the film shows ${glimpseName(seen, name)}`} />
            ))}
          </div>
          <div>
            <span className="mono quiet">{printTimecode(w.at, { rate: projectRate(settings), dropFrame: settings.dropFrame }, settings.startFrame)}</span>{' '}
            {text(w)}{' '}
            <Button size="small" type="link" aria-label={`Go there: ${text(w)}`} onClick={() => go(w)}>
              Go there
            </Button>
            <Button size="small" type="link" aria-label={`${w.accepted ? 'Count again' : 'Let it stand'}: ${text(w)}`} onClick={() => set([w], !w.accepted)}>
              {w.accepted ? 'Count it again' : 'Let it stand'}
            </Button>
          </div>
        </div>
      ))}
      {shown.length > LISTED && <p className="quiet">and {shown.length - LISTED} more</p>}
      {open.length > 3 && (
        <Button size="small" onClick={() => set(open, true)}>
          Let all {open.length} stand
        </Button>
      )}
      {accepted > 0 && (
        <Button size="small" type="link" onClick={() => setAll(!all)}>
          {all ? 'only what is open' : `${accepted} let stand`}
        </Button>
      )}
    </div>
  )
}
