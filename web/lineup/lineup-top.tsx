import { counted, detailText } from '@pendolo/api'
import type { Clip } from '@pendolo/core/project'
import { App, Button, Progress, Select, Upload } from 'antd'
import { send } from '../data/client.ts'
import type { StageProps } from '../stage.ts'
import { Failed } from '../ui/failed.tsx'
import { newParts, partMarks } from './part-marks.ts'
import type { Search, WaysChoice } from './search.ts'
import { takeIn } from './taken-in.ts'

const FILTERS = { all: 'all clips', sure: 'sure', check: 'to check', loose: 'loose' } as const
export type VerdictFilter = keyof typeof FILTERS

/** In the order of proof. */
const WAYS_CHOICES: { value: WaysChoice; label: string }[] = [
  { value: 'all', label: 'by all ways' },
  { value: 'sound', label: 'by sound' },
  { value: 'timecode', label: 'by timecode' },
  { value: 'light', label: 'by light' },
  { value: 'time', label: 'by recording time' },
  { value: 'first-frame', label: 'by first frame' },
]

interface TopProps extends Pick<StageProps, 'project' | 'edit'> {
  readonly clips: readonly Clip[]
  readonly search: Search
  readonly filter: VerdictFilter
  readonly onFilter: (filter: VerdictFilter) => void
}

/** What was found so far, and how to search further. */
export function LineUpTop({ project, edit, clips, search, filter, onFilter }: TopProps) {
  const { doc } = project
  const counts = { sure: 0, check: 0, loose: 0, parked: 0 }
  for (const c of clips) counts[c.state === 'parked' ? 'parked' : (doc.placements[c.id]?.verdict ?? 'loose')]++
  const placed = counts.sure + counts.check
  const tried = placed > 0 || Object.keys(doc.loose).length > 0
  const { job, start } = search
  return (
    <>
      <span role="status">
        {counted(clips.length, 'clip')} · {counts.sure} sure · {counts.check} to check · {counts.loose} loose
        {counts.parked > 0 && ` · ${counts.parked} parked`}
      </span>
      <span className="spring" />
      {job ? (
        <>
          <Progress percent={Math.round(job.progress * 100)} size="small" style={{ width: 140 }} aria-label="Lining up" />
          <span className="quiet">{detailText(job.detail)}</span>
          <Button size="small" onClick={() => void send('POST', `/jobs/${job.id}/cancel`)}>
            Cancel
          </Button>
        </>
      ) : (
        <>
          <SearchChoices search={search} filter={filter} onFilter={onFilter} />
          <OtherWays project={project} edit={edit} clips={clips} several={placed > 1} />
          {tried && (
            <Button size="small" onClick={() => void start(null)}>
              Line up all
            </Button>
          )}
          <Button
            type="primary"
            onClick={() => void start(tried ? clips.filter((c) => !doc.placements[c.id] && c.state === 'in').map((c) => c.id) : null)}
            disabled={tried && counts.loose === 0}
          >
            {tried ? 'Line up the loose ones' : 'Line up'}
          </Button>
        </>
      )}
    </>
  )
}

function SearchChoices({ search, filter, onFilter }: Pick<TopProps, 'search' | 'filter' | 'onFilter'>) {
  const { ways, setWays, thorough, setThorough, last } = search
  return (
    <>
      {last?.state === 'failed' && <Failed job={last} />}
      <Select
        size="small"
        variant="borderless"
        value={filter}
        onChange={onFilter}
        aria-label="Which clips"
        options={Object.entries(FILTERS).map(([value, label]) => ({ value: value as VerdictFilter, label }))}
        popupMatchSelectWidth={120}
        style={{ width: 82 }}
      />
      <Select
        size="small"
        variant="borderless"
        value={ways}
        onChange={setWays}
        aria-label="By which ways"
        options={WAYS_CHOICES}
        popupMatchSelectWidth={210}
        style={{ width: 104 }}
      />
      <Select
        size="small"
        variant="borderless"
        value={thorough}
        onChange={setThorough}
        aria-label="How thoroughly"
        options={[
          { value: false, label: 'quick' },
          { value: true, label: 'thorough' },
        ]}
        popupMatchSelectWidth={120}
        style={{ width: 78 }}
      />
    </>
  )
}

/** Places from another program, and parts from when the cameras were started. */
function OtherWays({ project, edit, clips, several }: Pick<TopProps, 'project' | 'edit' | 'clips'> & { several: boolean }) {
  const { message, notification } = App.useApp()
  const takeFile = async (file: File) => {
    try {
      const { edit: taken, placed, locked, aside, doubtful, unknown } = takeIn(project, await file.text(), file.name)
      if (taken) edit([taken], 'take in an exchange file')
      const rest = [
        doubtful > 0 ? `${doubtful} to check, since files share a name` : '',
        locked > 0 ? `${locked} locked and left` : '',
        aside > 0 ? `${aside} set aside` : '',
        unknown > 0 ? `${unknown} of its files ${unknown === 1 ? 'is' : 'are'} not in this project` : '',
      ]
        .filter(Boolean)
        .join(', ')
      const text = `${counted(placed, 'clip')} placed as in ${file.name}${rest ? `; ${rest}` : ''}`
      void (placed > 0 ? message.success(text) : message.warning(text))
    } catch (error) {
      notification.error({ title: `${file.name} was not taken in`, description: error instanceof Error ? error.message : String(error) })
    }
    return false
  }
  const markParts = () => {
    const all = partMarks(project, clips)
    if (all.length === 0) return void message.info('The cameras ran through: nothing divides this event')
    const marks = newParts(project, all)
    if (marks.length === 0) return void message.info('The parts are marked already')
    edit([{ type: 'addMarks', marks }], 'mark the parts')
    void message.success(`${counted(marks.length, 'part')} marked, to be seen in Pulse and on the score`)
  }
  return (
    <>
      <Upload accept=".otio,.json" showUploadList={false} beforeUpload={takeFile}>
        <Button size="small" type="text" title="Take places from an OpenTimelineIO file of another program">
          Take in
        </Button>
      </Upload>
      {several && (
        <Button size="small" type="text" onClick={markParts} title="A mark where each act or take begins, by when the cameras were started">
          Mark parts
        </Button>
      )}
    </>
  )
}
