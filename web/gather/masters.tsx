import type { GatheredFile } from '@pendolo/api'
import { clockOf, isMaster, MASTER_JOINS, type MasterJoin } from '@pendolo/core/project'
import { printLength } from '@pendolo/core/time'
import { Button, Dropdown, Select, Tooltip } from 'antd'
import { X } from 'lucide-react'
import { usePeaks, Waveform } from '../score/waveform.tsx'
import type { StageProps } from '../stage.ts'
import { soundText } from './facts-text.ts'

const JOINS: Record<MasterJoin, string> = {
  crossfade: 'crossfaded where they overlap',
  order: 'the upper one as long as it lasts',
}

/** The recording that keeps the time, or several that are it together. */
export function Masters({ project, edit }: Pick<StageProps, 'project' | 'edit'>) {
  const { doc, files } = project
  const { clipIds, join } = doc.master
  const fileOf = (clipId: string) => files.find((f) => f.id === doc.clips[clipId]?.fileId)
  const there = Object.values(doc.clips).filter((c) => c.state !== 'aside')
  const sounding = there.filter((c) => fileOf(c.id)?.facts.audio)
  // Where nothing was heard at all, a camera keeps the time.
  const choices = sounding.length > 0 ? sounding : there
  const further = sounding.filter((c) => !isMaster(doc, c.id) && doc.placements[c.id])
  const item = (id: string, onClick: () => void) => ({ key: id, label: fileOf(id)?.name ?? id, onClick })
  const setMasters = (ids: string[], label: string) => edit([{ type: 'masters', clipIds: ids }], label)
  return (
    <section aria-label="Master">
      {(clipIds.length > 0 ? clipIds : [null]).map((id, i) => (
        <div className="master-row" key={id ?? 'none'}>
          <h2 style={{ visibility: i === 0 ? undefined : 'hidden' }}>Master</h2>
          <MasterWave file={id === null ? undefined : fileOf(id)} />
          {i > 0 && id !== null && (
            <Tooltip title="Not part of the master any more">
              <Button
                size="small"
                type="text"
                icon={<X size={15} />}
                aria-label={`Take ${fileOf(id)?.name ?? 'this recording'} out of the master`}
                onClick={() =>
                  setMasters(
                    clipIds.filter((c) => c !== id),
                    'take a recording out of the master',
                  )
                }
              />
            </Tooltip>
          )}
          {i === 0 && (
            <Dropdown
              trigger={['click']}
              menu={{
                style: { maxHeight: 360, overflow: 'auto' },
                items: choices
                  .filter((c) => c.id !== clockOf(doc))
                  .map((c) => item(c.id, () => edit([{ type: 'setMaster', clipId: c.id }], 'choose the master'))),
              }}
            >
              <Button>{id === null ? 'Choose the master' : 'Choose another'}</Button>
            </Dropdown>
          )}
        </div>
      ))}
      {clipIds.length > 0 && (further.length > 0 || clipIds.length > 1) && (
        <div className="master-more">
          {further.length > 0 && (
            <Dropdown
              trigger={['click']}
              menu={{
                style: { maxHeight: 360, overflow: 'auto' },
                items: further.map((c) => item(c.id, () => setMasters([...clipIds, c.id], 'add a recording to the master'))),
              }}
            >
              <Tooltip title="For an event that was recorded in several parts: each keeps its place, and together they are the master">
                <Button size="small">Add a recording to the master</Button>
              </Tooltip>
            </Dropdown>
          )}
          {clipIds.length > 1 && (
            <Select<MasterJoin>
              size="small"
              aria-label="How the recordings of the master follow each other"
              value={join}
              onChange={(next) => edit([{ type: 'masters', clipIds: [...clipIds], join: next }], 'join the recordings of the master')}
              options={MASTER_JOINS.map((j) => ({ value: j, label: JOINS[j] }))}
              style={{ width: 240 }}
            />
          )}
        </div>
      )}
    </section>
  )
}

function MasterWave({ file }: { file: GatheredFile | undefined }) {
  const peaks = usePeaks(file?.contentKey ?? null, file?.ready.peaks ?? false)
  return (
    <>
      <Waveform peaks={peaks} from={0} to={file?.facts.durationSeconds ?? 1} aria-hidden="true" />
      <span className="mono">{file?.name ?? 'none chosen'}</span>
      {file && (
        <span className="quiet">
          {printLength(file.facts.durationSeconds)} · {soundText(file)}
        </span>
      )}
    </>
  )
}
