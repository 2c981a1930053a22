import { projectRate, type Settings } from '@pendolo/core/project'
import { printTimecode } from '@pendolo/core/time'
import { useEngine } from '../playback/use-engine.ts'

/** Timecode at the playhead; it runs by itself, so that what stands around it is not drawn anew ten times a second. */
export function MasterTime({ settings }: { settings: Settings }) {
  const style = { rate: projectRate(settings), dropFrame: settings.dropFrame }
  return (
    <span className="timecode" data-testid="timecode">
      {useEngine(({ time }) => printTimecode(time, style, settings.startFrame))}
    </span>
  )
}
