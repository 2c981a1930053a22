import { useMutation, useQueryClient } from '@tanstack/react-query'
import { App, Button } from 'antd'
import { send } from '../data/client.ts'
import { keys } from '../data/queries.ts'

const MOST_NAMED = 4

/** Says which originals are not where they were, and looks for them. */
export function Missing({ projectId, names }: { projectId: string; names: readonly string[] }) {
  const { message, notification } = App.useApp()
  const client = useQueryClient()
  const look = useMutation({
    mutationFn: () => send<{ found: string[]; missing: string[] }>('POST', `/projects/${projectId}/find-again`, {}),
    onSuccess: ({ found, missing }) => {
      void client.invalidateQueries({ queryKey: keys.project(projectId) })
      void client.invalidateQueries({ queryKey: keys.jobs(projectId) })
      if (found.length > 0) void message.success(`${listed(found)} found again`)
      if (missing.length > 0)
        notification.warning({
          title: `${listed(missing)} not found`,
          description: 'Nothing in the folders that may be read has this content. Connect the disk they are on, or open their folder on the left and add it.',
          duration: 12,
        })
    },
    onError: (error) => notification.error({ title: 'They could not be looked for', description: error.message }),
  })
  if (names.length === 0) return null
  const one = names.length === 1
  return (
    <div className="missing" role="alert">
      <div>
        {one ? 'One original is not where it was: ' : `${names.length} originals are not where they were: `}
        <b>{listed(names)}</b>
        <div className="quiet">
          Known by content wherever {one ? 'it has' : 'they have'} gone: look for {one ? 'it' : 'them'}, or add the folder on the left. Light copies still play.
        </div>
      </div>
      <Button size="small" loading={look.isPending} onClick={() => look.mutate()}>
        Look for {one ? 'it' : 'them'}
      </Button>
    </div>
  )
}

function listed(names: readonly string[]): string {
  return names.length > MOST_NAMED ? `${names.slice(0, MOST_NAMED).join(', ')} and ${names.length - MOST_NAMED} more` : names.join(', ')
}
