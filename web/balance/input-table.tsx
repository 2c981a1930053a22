import { CubeError, type InputTable, type Look, readCube } from '@pendolo/core/picture'
import type { ProjectDoc } from '@pendolo/core/project'
import { App, Button, Select, Upload } from 'antd'
import { send } from '../data/client.ts'
import { knowInput } from '../playback/looks.ts'

interface Props {
  readonly doc: ProjectDoc
  readonly name: string
  readonly input: InputTable | undefined
  readonly onChange: (input: InputTable | null) => void
}

/** A file of this is no table that anybody would use. */
const MOST_BYTES = 64 * 2 ** 20
const NONE = 'none'

/** All tables that looks of a project name. */
export function tablesIn({ angles, exceptions }: Pick<ProjectDoc, 'angles' | 'exceptions'>): InputTable[] {
  const looks: (Look | undefined)[] = [...angles.map((a) => a.look), ...Object.values(exceptions).flatMap((e) => [e.look, e.lookTo])]
  return [...new Map(looks.flatMap((l) => (l?.input ? [[l.input.id, l.input] as const] : []))).values()]
}

/** Reads a .cube file and has it kept beside the projects. @throws Error in words that say what is wrong with it */
async function readTable(file: File): Promise<InputTable> {
  if (file.size > MOST_BYTES) throw new CubeError(`is larger than ${MOST_BYTES / 2 ** 20} MB`)
  const { title, table } = readCube(await file.text())
  const bytes = new Uint8Array(table.buffer as ArrayBuffer)
  let text = ''
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192))
  const { id } = await send<{ id: string }>('POST', '/tables', { values: btoa(text) })
  const input = { id, name: (title ?? file.name.replace(/\.cube$/i, '')).slice(0, 200) || 'table' }
  knowInput(input, table)
  return input
}

/** What pictures of a film stock or a logarithmic curve are brought through first. */
export function InputChoice({ doc, name, input, onChange }: Props) {
  const { notification } = App.useApp()
  const known = tablesIn(doc)
  const take = (file: File) => {
    readTable(file).then(onChange, (error: unknown) =>
      notification.error({
        title: `${file.name} was not read`,
        description: error instanceof CubeError ? `It ${error.message}.` : error instanceof Error ? error.message : String(error),
      }),
    )
    return false
  }
  return (
    <div className="line">
      <span>table</span>
      <Select
        size="small"
        aria-label={`Table that pictures of ${name} go through first`}
        style={{ flex: 1, minWidth: 0 }}
        value={input?.id ?? NONE}
        options={[{ value: NONE, label: 'none' }, ...known.map((t) => ({ value: t.id, label: t.name }))]}
        onChange={(id) => onChange(known.find((t) => t.id === id) ?? null)}
      />
      <Upload accept=".cube" showUploadList={false} beforeUpload={take}>
        <Button size="small" title="A .cube file that brings a film stock or a logarithmic curve to ordinary colours, before all else">
          Read a .cube file
        </Button>
      </Upload>
    </div>
  )
}
