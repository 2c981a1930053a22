import type { ProjectState } from '@pendolo/api'
import type { Stretch } from '@pendolo/core/mix'
import { isPlain, type Look } from '@pendolo/core/picture'
import type { Angle } from '@pendolo/core/project'
import { Button } from 'antd'
import { ChevronLeft, ChevronRight } from 'lucide-react'
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import { drawLooked } from '../playback/draw-looked.ts'
import { throughInput } from '../playback/looks.ts'
import { playClips } from '../playback/model.ts'
import type { ThumbView } from '../playback/thumbs.ts'
import { useEngine, useThumbs } from '../playback/use-engine.ts'
import { withInput } from './look-parts.ts'
import { coloursOf, matchAll } from './match-colours.ts'
import { lightParts, type SharedMoment, sharedMoments } from './match-moments.ts'

/** Which angles are to look like which one. */
export interface Matching {
  readonly angles: readonly Angle[]
  readonly reference: Angle
  /** Only this stretch of it is compared, and corrected. */
  readonly within: Stretch | null
  /** The look becomes another one as the light does. */
  readonly follows: boolean
}

interface Props {
  readonly project: ProjectState
  readonly matching: Matching
  readonly onTake: (looks: readonly { readonly angle: Angle; readonly look: Look; readonly within: Stretch | null }[]) => void
  readonly onLeave: () => void
}

/** How angles would look if they were matched to another one, before it is taken. */
export function Match({ project, matching, onTake, onLeave }: Props) {
  const { angles, reference, within, follows } = matching
  const clips = useMemo(() => playClips(project), [project])
  const pairs = useMemo(
    () =>
      angles.flatMap((angle): Pair[] =>
        (follows ? lightParts(clips, angle.id, reference.id) : [within]).map((part) => ({
          angle,
          within: part,
          moments: sharedMoments(clips, angle.id, reference.id, part),
        })),
      ),
    [angles, clips, follows, reference, within],
  )
  const [thumbs, revision] = useThumbs()
  const { read, looks, fault } = useMatched(pairs, reference, thumbs, revision)
  const [at, setAt] = useState(0)
  const playing = useEngine((s) => s.playing)
  const all = pairs.reduce((sum, p) => sum + 2 * p.moments.length, 0)
  const most = Math.max(0, ...pairs.map((p) => p.moments.length))
  const taken = pairs.flatMap(({ angle, within: part }, i) => (looks?.[i] ? [{ angle, look: looks[i], within: part }] : []))
  const say = () => {
    if (fault) return fault
    if (most === 0) return `${angles.length > 1 ? 'None of them sees' : 'It never sees'} what ${reference.name} sees at the same time.`
    if (looks) return null
    if (read < all) return `${read} of ${all} pictures read${playing ? '; the others when it stands still' : ''}`
    return 'Comparing colours'
  }
  const step = (by: number) => setAt((old) => Math.max(0, Math.min(most - 1, old + by)))
  return (
    <div className="match" role="group" aria-label={`Match to ${reference.name}`}>
      <div className="match-head">
        <Button size="small" type="text" icon={<ChevronLeft size={14} />} aria-label="Instant before" disabled={at === 0} onClick={() => step(-1)} />
        <span className="mono">
          {most === 0 ? 0 : at + 1} of {most}
        </span>
        <Button size="small" type="text" icon={<ChevronRight size={14} />} aria-label="Next instant" disabled={at >= most - 1} onClick={() => step(1)} />
        <span className="quiet grow" role="status">
          {say()}
        </span>
        <Button size="small" type="primary" disabled={taken.length === 0} onClick={() => onTake(taken)}>
          {taken.length > 1 && !follows ? `Take all ${taken.length}` : 'Take it'}
        </Button>
        <Button size="small" onClick={onLeave}>
          {looks ? 'Leave' : 'Cancel'}
        </Button>
      </div>
      <div className="match-rows">
        <div className="match-row quiet">
          <span>{reference.name}</span>
          <span>recorded</span>
          <span>matched</span>
        </div>
        {pairs.map(({ angle, within: part, moments }, i) => (
          <Row
            key={`${angle.id} ${part?.from}`}
            thumbs={thumbs}
            angle={angle}
            reference={reference}
            moment={moments[Math.min(at, moments.length - 1)] ?? null}
            look={looks?.[i] ?? null}
            done={looks !== null}
          />
        ))}
      </div>
    </div>
  )
}

interface Pair {
  readonly angle: Angle
  /** Only this is compared. */
  readonly within: Stretch | null
  readonly moments: readonly SharedMoment[]
}

/** The looks of all pairs, once their pictures have come. */
function useMatched(
  pairs: readonly Pair[],
  reference: Angle,
  thumbs: ThumbView,
  revision: number,
): { readonly read: number; readonly looks: readonly (Look | null)[] | null; readonly fault: string | null } {
  const playing = useEngine((s) => s.playing)
  const [read, setRead] = useState(0)
  const [answer, setAnswer] = useState<{ of: readonly Pair[]; looks: readonly (Look | null)[] | null; fault: string | null } | null>(null)
  const [whole, setWhole] = useState<readonly Pair[] | null>(null)
  // biome-ignore lint/correctness/useExhaustiveDependencies: what has come is told by the revision
  useEffect(() => {
    for (const { moments } of pairs)
      for (const { time, own, reference: other } of moments) {
        thumbs.at(own, time)
        thumbs.at(other, time)
      }
    const missing = thumbs.ask(playing)
    setRead(pairs.reduce((sum, p) => sum + 2 * p.moments.length, 0) - missing)
    if (missing === 0) setWhole(pairs)
  }, [pairs, playing, revision, thumbs])
  useEffect(() => {
    if (whole !== pairs) return
    const abort = new AbortController()
    const colours = pairs.map(({ angle, moments }) => {
      const both = moments.flatMap(({ time, own, reference: other }) => {
        const [a, b] = [thumbs.at(own, time), thumbs.at(other, time)]
        return a && b ? [[throughInput(angle.look, coloursOf(a)), throughInput(reference.look, coloursOf(b))]] : []
      })
      return { own: both.flatMap(([a]) => a), reference: both.flatMap(([, b]) => b), referenceLook: reference.look ?? null }
    })
    matchAll(colours, abort.signal)
      .then((looks) => setAnswer({ of: pairs, looks: looks.map((look, i) => look && withInput(look, pairs[i].angle.look?.input ?? null)), fault: null }))
      .catch((e: Error) => {
        if (!abort.signal.aborted) setAnswer({ of: pairs, looks: null, fault: `The colours could not be compared: ${e.message}` })
      })
    return () => abort.abort()
  }, [whole, pairs, reference.look, thumbs])
  return answer?.of === pairs ? { read, ...answer } : { read, looks: null, fault: null }
}

interface RowProps {
  readonly thumbs: ThumbView
  readonly angle: Angle
  readonly reference: Angle
  readonly moment: SharedMoment | null
  /** null until it is known, or where nothing could be compared. */
  readonly look: Look | null
  readonly done: boolean
}

function Row({ thumbs, angle, reference, moment, look, done }: RowProps) {
  const own = moment && thumbs.at(moment.own, moment.time)
  const other = moment && thumbs.at(moment.reference, moment.time)
  return (
    <div className="match-row">
      <Picture picture={other} look={reference.look ?? null} label={`${reference.name} as it is`} />
      <Picture picture={own} look={null} label={`${angle.name} as recorded`} />
      <Picture picture={look && own} look={look} label={`${angle.name} matched`} />
      <span className="quiet">
        {angle.name}
        {done && !look && ': nothing to compare'}
        {look && isPlain(look) && ': alike already'}
      </span>
    </div>
  )
}

function Picture({ picture, look, label }: { picture: ImageBitmap | null; look: Look | null; label: string }) {
  const ref = useRef<HTMLCanvasElement>(null)
  useLayoutEffect(() => {
    const ctx = ref.current?.getContext('2d', { willReadFrequently: true })
    if (ctx) drawLooked(ctx, picture, look)
  }, [picture, look])
  return <canvas ref={ref} width={192} height={108} role="img" aria-label={label} />
}
