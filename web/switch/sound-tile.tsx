import type { GatheredFile, ProjectState } from '@pendolo/api'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { useEngine } from '../playback/use-engine.ts'
import { Playhead } from '../score/playhead.tsx'
import { useSize } from '../score/time-view.ts'
import { usePeaks, Waveform } from '../score/waveform.tsx'

/** Seconds of sound in a tile; the page turns when the playhead has gone through it. */
const PAGE = 12

/** What a device without picture hears around the playhead; nothing while none of its files has a place. */
export function SoundTile({ project, angleId }: { project: ProjectState; angleId: string }) {
  const { doc, files } = project
  const placed = Object.values(doc.clips)
    .filter((c) => c.angleId === angleId && c.state === 'in' && doc.placements[c.id])
    .sort((a, b) => doc.placements[a.id].start - doc.placements[b.id].start)
  const startOf = (i: number) => doc.placements[placed[i].id].start / FLICKS_PER_SECOND
  const page = useEngine((s) => Math.floor(s.time / FLICKS_PER_SECOND / PAGE))
  const from = page * PAGE
  // The last one that has begun by the end of this page.
  const at = placed.findLastIndex((_, i) => startOf(i) < from + PAGE)
  const file = files.find((f) => f.id === placed[at]?.fileId)
  return at < 0 || !file ? null : <SoundPage file={file} start={startOf(at)} rate={doc.placements[placed[at].id].rate} from={from} />
}

function SoundPage({ file, start, rate, from }: { file: GatheredFile; start: number; rate: number; from: number }) {
  const peaks = usePeaks(file.contentKey, file.ready.peaks)
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  return (
    <div ref={ref} className="sound-page" aria-hidden="true">
      <Waveform peaks={peaks} from={(from - start) / rate} to={(from + PAGE - start) / rate} colour="#c9973f" />
      <Playhead view={{ from, span: PAGE }} left={0} width={width} height={height} />
    </div>
  )
}
