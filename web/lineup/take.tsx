import type { Clip, ProjectDoc } from '@pendolo/core/project'
import { AutoComplete } from 'antd'
import { useState } from 'react'
import type { StageProps } from '../stage.ts'

/** Names of the takes of a project, as people count. */
export function takeNames(doc: ProjectDoc): string[] {
  const names = new Set(Object.values(doc.clips).flatMap((c) => c.take ?? []))
  return [...names].sort((a, b) => a.localeCompare(b, 'en', { numeric: true }))
}

/** What a new name of a clip's take means: the name of another take moves the clip there, a new one renames the take with all its clips. */
export function takesNamed(doc: ProjectDoc, clip: Clip, name: string): Record<string, string | null> {
  const wanted = name.trim()
  if (wanted === (clip.take ?? '')) return {}
  if (wanted === '') return { [clip.id]: null }
  if (clip.take === undefined || takeNames(doc).includes(wanted)) return { [clip.id]: wanted }
  return Object.fromEntries(
    Object.values(doc.clips)
      .filter((c) => c.take === clip.take)
      .map((c) => [c.id, wanted]),
  )
}

/** Which take a clip belongs to; typed over, the whole take is called so. */
export function Take({ project, clip, edit }: Pick<StageProps, 'project' | 'edit'> & { clip: Clip }) {
  const { doc } = project
  const [text, setText] = useState(clip.take ?? '')
  const keep = (name: string) => {
    const names = takesNamed(doc, clip, name)
    if (Object.keys(names).length > 0) edit([{ type: 'takes', names }], Object.keys(names).length > 1 ? 'rename a take' : 'change the take of a clip')
  }
  return (
    <div style={{ display: 'flex', gap: 8, alignItems: 'center', margin: '4px 0' }}>
      <span className="quiet">take</span>
      <AutoComplete
        size="small"
        style={{ flex: 1 }}
        value={text}
        options={takeNames(doc).map((value) => ({ value }))}
        onChange={setText}
        onSelect={keep}
        onBlur={() => keep(text)}
        onKeyDown={(e) => e.key === 'Enter' && keep(text)}
        aria-label="Take"
        placeholder="of no take"
        maxLength={120}
      />
    </div>
  )
}
