import { detailText, type GatheredFile, type Job, type ProjectState } from '@pendolo/api'
import { channelsOf } from '@pendolo/core/mix'
import { type Clip, envelopeKey, isMaster } from '@pendolo/core/project'
import { App, Button, Checkbox, Dropdown, Modal, Progress, Space } from 'antd'
import { ChevronDown } from 'lucide-react'
import { useState } from 'react'
import { send } from '../data/client.ts'
import { Failed } from '../ui/failed.tsx'
import { AsISay } from './as-i-say.tsx'

interface FindWishes {
  readonly find: 'beats' | 'parts' | 'speech'
  readonly microphones?: string[]
  readonly tempoBpm?: number
  readonly metre?: number
}

interface Props {
  readonly project: ProjectState
  readonly job: Job | undefined
}

/** Starts listening to the master: for beats, for parts, for speech; shows how far it is. */
export function FindInMaster({ project, job }: Props) {
  const { doc, files } = project
  const { notification } = App.useApp()
  const [asking, setAsking] = useState(false)
  const [saying, setSaying] = useState(false)
  const [chosen, setChosen] = useState<string[] | null>(null)
  const start = async (body: FindWishes) => {
    try {
      await send('POST', `/projects/${project.id}/pulse`, body)
    } catch (error) {
      notification.error({ title: 'The search did not start', description: error instanceof Error ? error.message : String(error) })
    }
  }
  const working = job?.state === 'running' || job?.state === 'queued'
  const heard = Object.values(doc.clips).flatMap((clip): Heard[] => {
    const file = files.find((f) => f.id === clip.fileId)
    if (!file?.facts.audio || clip.state !== 'in' || !doc.placements[clip.id]) return []
    const name = `${doc.angles.find((a) => a.id === clip.angleId)?.name ?? (isMaster(doc, clip.id) ? 'Master' : 'no angle')} · ${file.name}`
    const whole = { id: clip.id, name, alone: !file.facts.video }
    return [...(isMaster(doc, clip.id) ? [] : [whole]), ...microphonesOf(clip, file).map((c) => ({ ...c, name: `${name}, ${c.name}`, alone: false }))]
  })
  // Several recordings without a picture are microphones more often than not; a single one is the hall's.
  const pictureless = heard.filter((h) => h.alone).map((h) => h.id)
  const microphones = chosen ?? (pictureless.length > 1 ? pictureless : [])
  return (
    <>
      {working ? (
        <Working job={job} />
      ) : (
        <>
          {job?.state === 'failed' && <Failed job={job} />}
          <Space.Compact>
            <Button type={doc.pulse ? 'default' : 'primary'} onClick={() => void start({ find: 'beats' })}>
              {doc.pulse ? 'Find the pulse again' : 'Find the pulse'}
            </Button>
            <Dropdown
              trigger={['click']}
              menu={{
                items: [
                  { key: 'said', label: 'The pulse at a tempo or metre that I say …' },
                  { key: 'parts', label: 'Parts of the form and loud moments' },
                  { key: 'speech', label: 'Speech: phrases, speakers, applause' },
                ],
                onClick: ({ key }) => (key === 'parts' ? void start({ find: 'parts' }) : key === 'said' ? setSaying(true) : setAsking(true)),
              }}
            >
              <Button type={doc.pulse ? 'default' : 'primary'} icon={<ChevronDown size={15} />} aria-label="Find something else" />
            </Dropdown>
          </Space.Compact>
        </>
      )}
      <AsISay
        open={saying}
        pulse={doc.pulse}
        onClose={() => setSaying(false)}
        onFind={(said) => {
          setSaying(false)
          void start({ find: 'beats', ...said })
        }}
      />
      <Modal
        open={asking}
        title="Find speech in the master"
        okText="Listen"
        width={460}
        onCancel={() => setAsking(false)}
        onOk={() => {
          setAsking(false)
          void start({ find: 'speech', microphones: microphones.filter((id) => heard.some((h) => h.id === id)) })
        }}
        destroyOnHidden
      >
        <p className="quiet">
          Phrases become marks; speech, music, applause and silence are told apart. Who speaks is known where people have microphones of their own:
        </p>
        {heard.length === 0 ? (
          <p>No other recording has a place yet, so phrases get no speaker.</p>
        ) : (
          <Checkbox.Group
            style={{ display: 'grid', gap: 4, maxHeight: 260, overflow: 'auto' }}
            value={microphones}
            onChange={setChosen}
            options={heard.map((h) => ({ value: h.id, label: h.name }))}
          />
        )}
        {doc.marks.some((m) => m.kind === 'phrase' && m.found) && (
          <p className="quiet">Phrases found before and not touched since are replaced; those you named or moved stay.</p>
        )}
      </Modal>
    </>
  )
}

/** What may be somebody's microphone: a recording, or one channel of a recorder. */
interface Heard {
  readonly id: string
  readonly name: string
  /** A recording of sound alone. */
  readonly alone: boolean
}

/** Channels of a recorder with more than two, each of which may be somebody's microphone; known by their numbers, whatever seats the file gives them. */
function microphonesOf(clip: Clip, { facts }: GatheredFile): { id: string; name: string }[] {
  const all = facts.audio ? channelsOf(facts.audio) : []
  return all.length < 3
    ? []
    : all.map((c) => ({
        id: envelopeKey(clip.id, c.key),
        name: clip.channels?.[c.key]?.name || c.name || `channel ${c.number}`,
      }))
}

function Working({ job }: { job: Job }) {
  return (
    <>
      <Progress percent={Math.round(job.progress * 100)} size="small" style={{ width: 120 }} aria-label="Listening to the master" />
      <span className="quiet">{detailText(job.detail)}</span>
      <Button size="small" onClick={() => void send('POST', `/jobs/${job.id}/cancel`)}>
        Cancel
      </Button>
    </>
  )
}
