import { detailText, type Job } from '@pendolo/api'
import { App, Button } from 'antd'
import { useEffect, useRef } from 'react'
import { send } from '../data/client.ts'

const MOST_NAMED = 4

/** Says which originals are not where they were, and looks for them. */
export function Missing({ projectId, names, jobs }: { projectId: string; names: readonly string[]; jobs: readonly Job[] }) {
  const { message, notification } = App.useApp()
  const last = jobs.find((j) => j.kind === 'originals')
  const looking = last?.state === 'queued' || last?.state === 'running'
  // A search that named just these and did not find them.
  const inVain = last?.state === 'done' && names.length > 0 && names.every((name) => last.detail.code === 'originals' && last.detail.missing.includes(name))
  const awaited = useRef<string | null>(null)
  useEffect(() => {
    if (looking) awaited.current = last.id
    else if (last && awaited.current === last.id) {
      awaited.current = null
      if (last.state === 'done' && !inVain) void message.info(detailText(last.detail))
    }
  }, [last, looking, inVain, message])
  const act = (path: string) =>
    send('POST', path, {}).catch((error: unknown) =>
      notification.error({ title: 'That did not work', description: error instanceof Error ? error.message : String(error) }),
    )
  if (names.length === 0) return null
  const one = names.length === 1
  const [it, has] = one ? ['it', 'it has'] : ['them', 'they have']
  return (
    <div className="missing" role="alert">
      <div>
        {one ? 'One original is missing: ' : `${names.length} originals are missing: `}
        <b>{names.length > MOST_NAMED ? `${names.slice(0, MOST_NAMED).join(', ')} and ${names.length - MOST_NAMED} more` : names.join(', ')}</b>
        <div className="quiet">
          {looking
            ? `Looking in all folders that may be read: ${detailText(last.detail)}`
            : last?.state === 'failed'
              ? `Not looked for: ${detailText(last.detail)}`
              : inVain
                ? `Not in the folders that may be read. Connect the disk ${one ? 'it is' : 'they are'} on and look again, or add the folder on the left. Light copies still play.`
                : `Known by content wherever ${has} gone: look for ${it}, or add the folder on the left. Light copies still play.`}
        </div>
      </div>
      {looking ? (
        <Button size="small" onClick={() => void act(`/jobs/${last.id}/cancel`)}>
          Cancel
        </Button>
      ) : (
        <Button size="small" onClick={() => void act(`/projects/${projectId}/find-again`)}>
          Look for {it}
        </Button>
      )}
    </div>
  )
}
