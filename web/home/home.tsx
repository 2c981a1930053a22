import { counted, newProjectBody, type ProjectSummary, sizeText } from '@pendolo/api'
import { printLength } from '@pendolo/core/time'
import { App, Button, Form, Input, Modal, Select } from 'antd'
import { Copy, Pencil, Plus, Trash2 } from 'lucide-react'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { mediaUrl, send } from '../data/client.ts'
import { useProjects } from '../data/queries.ts'
import { hueOf } from '../ui/theme.ts'

type Naming = { kind: 'new' } | { kind: 'rename'; project: ProjectSummary } | null

type Order = 'changed' | 'name' | 'length' | 'space' | 'begun'
const ORDERS: { value: Order; label: string }[] = [
  { value: 'changed', label: 'last changed' },
  { value: 'name', label: 'by name' },
  { value: 'length', label: 'longest first' },
  { value: 'space', label: 'largest first' },
  { value: 'begun', label: 'newest first' },
]
const spaceUsed = ({ space }: ProjectSummary) => space.originals + space.kept
const BY: Record<Order, (a: ProjectSummary, b: ProjectSummary) => number> = {
  changed: (a, b) => b.changedAt - a.changedAt,
  name: (a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }),
  length: (a, b) => b.masterSeconds - a.masterSeconds,
  space: (a, b) => spaceUsed(b) - spaceUsed(a),
  begun: (a, b) => b.createdAt - a.createdAt,
}

export function Home() {
  const { data: projects, error } = useProjects()
  const { notification, message } = App.useApp()
  const navigate = useNavigate()
  const [naming, setNaming] = useState<Naming>(null)
  const [wanted, setWanted] = useState('')
  const [order, setOrder] = useState<Order>('changed')
  const shown = projects?.filter((p) => p.name.toLowerCase().includes(wanted.trim().toLowerCase())).sort(BY[order])

  const attempt = async (act: () => Promise<void>) => {
    try {
      await act()
    } catch (problem) {
      notification.error({ title: 'That did not work', description: problem instanceof Error ? problem.message : String(problem) })
    }
  }
  const remove = (project: ProjectSummary) =>
    attempt(async () => {
      await send('DELETE', `/projects/${project.id}`)
      const key = `deleted-${project.id}`
      notification.info({
        key,
        title: `${project.name} is deleted`,
        description: 'Your original files are where they were.',
        duration: 15,
        actions: (
          <Button
            size="small"
            type="primary"
            onClick={() => {
              notification.destroy(key)
              void attempt(() => send('POST', `/projects/${project.id}/restore`))
            }}
          >
            Bring it back
          </Button>
        ),
      })
    })

  return (
    <div className="home">
      <div style={{ display: 'flex', alignItems: 'center', gap: 20 }}>
        <h1 style={{ fontSize: 26 }}>Projects</h1>
        <Button type="primary" icon={<Plus size={15} />} onClick={() => setNaming({ kind: 'new' })}>
          New project
        </Button>
        {projects && projects.length > 1 && (
          <>
            <span style={{ flex: 1 }} />
            <Input
              allowClear
              style={{ width: 220 }}
              placeholder="Find a project"
              aria-label="Find a project"
              value={wanted}
              onChange={(e) => setWanted(e.target.value)}
            />
            <Select aria-label="Order of the projects" style={{ width: 160 }} value={order} onChange={setOrder} options={ORDERS} />
          </>
        )}
      </div>
      {error && <p role="alert">{error.message}</p>}
      {projects?.length === 0 && (
        <div className="empty" style={{ marginTop: 80 }}>
          <h2>Nothing here yet</h2>
          <ol className="begin">
            <li>Begin a project and add the folders of the cameras and the sound recorder; originals stay where they are and are only read.</li>
            <li>Line up: every clip finds its place on the sound, with the proof beside it.</li>
            <li>Switch: play, and press a key for each angle; then hand over a film or an exchange file.</li>
          </ol>
          <Button type="primary" onClick={() => setNaming({ kind: 'new' })}>
            Begin one
          </Button>
        </div>
      )}
      <div className="cards">
        {shown?.map((p) => (
          <Card
            key={p.id}
            project={p}
            onRename={() => setNaming({ kind: 'rename', project: p })}
            onDuplicate={() =>
              attempt(async () => {
                await send('POST', `/projects/${p.id}/duplicate`)
                void message.success('Duplicated')
              })
            }
            onDelete={() => remove(p)}
          />
        ))}
      </div>
      {projects && projects.length > 0 && shown?.length === 0 && <p className="quiet">No project is called so.</p>}
      {naming && (
        <NameDialog
          title={naming.kind === 'new' ? 'New project' : 'Rename the project'}
          initial={naming.kind === 'rename' ? naming.project.name : ''}
          onCancel={() => setNaming(null)}
          onName={(name) =>
            attempt(async () => {
              if (naming.kind === 'rename') await send('PATCH', `/projects/${naming.project.id}`, { name })
              else {
                const { id } = await send<{ id: string }>('POST', '/projects', { name })
                navigate(`/${id}/gather`)
              }
              setNaming(null)
            })
          }
        />
      )}
    </div>
  )
}

interface CardProps {
  readonly project: ProjectSummary
  readonly onRename: () => void
  readonly onDuplicate: () => Promise<unknown>
  readonly onDelete: () => Promise<unknown>
}

/** A project: what it covers, how large it is, and what can be done with it as a whole. */
function Card({ project: p, onRename, onDuplicate, onDelete }: CardProps) {
  return (
    <article className="card" aria-label={p.name}>
      <Link to={`/${p.id}/${p.clips === 0 ? 'gather' : 'switch'}`}>
        <Shown project={p} />
        <div className="facts">
          <h3>{p.name}</h3>
          <div className="quiet-ink">
            {p.hurt
              ? 'damaged: cannot be opened. Stop Pendolo and run “./pendolo restore”'
              : p.clips === 0
                ? 'empty'
                : `${counted(p.angles, 'angle')} · ${counted(p.clips, 'file')} · ${printLength(p.masterSeconds)}`}{' '}
            · changed {new Date(p.changedAt).toLocaleDateString()}
          </div>
          {p.clips > 0 && (
            <div className="quiet-ink" title="What is kept here are light copies, films and files that were dropped on the page">
              {sizeText(p.space.originals)} of originals · {sizeText(p.space.kept)} kept here
            </div>
          )}
          {p.clips > 0 && <Stages project={p} />}
          {p.missing > 0 && (
            <div role="alert">
              {p.missing} original{p.missing === 1 ? ' is' : 's are'} not where {p.missing === 1 ? 'it was' : 'they were'}
            </div>
          )}
        </div>
      </Link>
      <div className="actions">
        <Button type="text" size="small" style={{ color: 'var(--ink)' }} icon={<Pencil size={14} />} aria-label={`Rename ${p.name}`} onClick={onRename} />
        <Button
          type="text"
          size="small"
          style={{ color: 'var(--ink)' }}
          icon={<Copy size={14} />}
          aria-label={`Duplicate ${p.name}`}
          onClick={() => void onDuplicate()}
        />
        <Button
          type="text"
          size="small"
          style={{ color: 'var(--ink)' }}
          icon={<Trash2 size={14} />}
          aria-label={`Delete ${p.name}`}
          onClick={() => void onDelete()}
        />
      </div>
    </article>
  )
}

/** How far a project is: what is done, what waits. */
function Stages({ project: p }: { project: ProjectSummary }) {
  const stages = [
    [p.placed > 0, p.waiting > 0 ? `${p.placed} lined up, ${p.waiting} waiting` : `${p.placed} lined up`],
    [p.beats, p.beats ? 'pulse' : 'no pulse yet'],
    [p.cuts > 0, p.cuts === 0 ? 'no cuts yet' : counted(p.cuts, 'cut')],
  ] as const
  return (
    <div className="stages">
      {stages.map(([done, words]) => (
        <span key={words} className={done ? 'done' : ''}>
          {words}
        </span>
      ))}
    </div>
  )
}

/** A picture of the first camera, with which angle has picture when below it. */
function Shown({ project }: { project: ProjectSummary }) {
  const { picture } = project
  return (
    <div className="shown">
      {picture && (
        // Its light copy is there anyway; no sound, and only as much as one picture takes.
        <video src={`${mediaUrl(picture.contentKey, 'tile')}#t=${picture.seconds}`} preload="metadata" muted playsInline aria-hidden="true" tabIndex={-1} />
      )}
      <CoveragePicture project={project} />
    </div>
  )
}

function NameDialog({ title, initial, onName, onCancel }: { title: string; initial: string; onName: (name: string) => Promise<void>; onCancel: () => void }) {
  const [form] = Form.useForm<{ name: string }>()
  const [busy, setBusy] = useState(false)
  return (
    // A double click on the button that opened it must not close it again.
    <Modal
      open
      mask={{ closable: false }}
      title={title}
      okText={initial ? 'Rename' : 'Begin'}
      confirmLoading={busy}
      onOk={() => form.submit()}
      onCancel={onCancel}
      width={400}
    >
      <Form
        form={form}
        layout="vertical"
        initialValues={{ name: initial }}
        onFinish={async ({ name }) => {
          setBusy(true)
          await onName(name.trim())
          setBusy(false)
        }}
      >
        <Form.Item
          name="name"
          label="Name"
          rules={[
            {
              validator: (_, value: string) =>
                newProjectBody.validate({ name: value ?? '' }).then(
                  () => undefined,
                  (problem: Error) => Promise.reject(problem),
                ),
            },
          ]}
        >
          <Input autoFocus placeholder="Depot Night" />
        </Form.Item>
      </Form>
    </Modal>
  )
}

/** Which angle has picture when: the project at a glance. */
function CoveragePicture({ project }: { project: ProjectSummary }) {
  const rows = Math.max(1, project.coverage.length)
  if (project.picture && project.coverage.every((row) => row.spans.length === 0)) return null
  return (
    <svg className="coverage-picture" viewBox="0 0 300 92" preserveAspectRatio="none" aria-hidden="true">
      {project.coverage.map((row, i) => {
        const y = 8 + (i * 76) / rows
        const h = Math.min(12, 76 / rows - 3)
        return row.spans.map(([from, to]) => (
          <rect key={`${i}-${from}`} x={8 + from * 284} y={y} width={Math.max(1, (to - from) * 284)} height={h} fill={hueOf(row.hue)} opacity="0.8" />
        ))
      })}
    </svg>
  )
}
