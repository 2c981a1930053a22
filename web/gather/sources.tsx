import { counted, type FolderEntry, MOST_DROPPED } from '@pendolo/api'
import { App, Button, Progress, Spin } from 'antd'
import { ArrowLeft, FileVideo, Folder, X } from 'lucide-react'
import { useEffect, useEffectEvent, useRef, useState } from 'react'
import { ServerProblem, send } from '../data/client.ts'
import { useFolder, useRoots } from '../data/queries.ts'
import { AskCopy, type Copy } from './ask-copy.tsx'
import { droppedFiles } from './dropped.ts'
import { copyAll, type Looked, lookFor, take } from './dropping.ts'
import type { LeftOut, Report } from './report.ts'

/** So little is copied without asking, bytes. */
const UNASKED_BYTES = 20_000_000

/** Notifications about single files that a page takes at once. */
const MOST_TOLD = 3

/** Where files come from: a browser of the allowed folders on this machine, and drag and drop. */
export function Sources({ projectId, known }: { projectId: string; known: ReadonlySet<string> }) {
  const { notification, message } = App.useApp()
  const [path, setPath] = useState<string | null>(null)
  const [busy, setBusy] = useState<string | null>(null)
  const [copying, setCopying] = useState<{ share: number; waiting: boolean } | null>(null)
  const [asked, setAsked] = useState<{ looked: Looked; answer: (copy: Copy) => void } | null>(null)
  const [over, setOver] = useState(false)
  const abort = useRef<AbortController | null>(null)
  const { data: roots } = useRoots()
  const { data: folder, error, isFetching } = useFolder(path)

  const [left, setLeft] = useState<readonly LeftOut[]>([])

  const tell = (report: Report) => {
    setLeft([...report.refused, ...report.leftOut])
    if (report.again.length > 0) void message.success(`${report.again.join(', ')} found again`)
    if (report.added > 0) void message.success(`${counted(report.added, 'file')} added`)
    else if (report.known.length > 0 && report.again.length === 0) void message.info('These files are in the project already')
    // A few are told at once; of many the list tells.
    if (report.refused.length <= MOST_TOLD)
      for (const r of report.refused) notification.warning({ title: `${r.name} cannot be used`, description: r.why, duration: 12 })
    else notification.warning({ title: `${report.refused.length} files cannot be used`, description: 'the list beside says why for each', duration: 12 })
  }
  const attempt = async (what: string, act: () => Promise<Report>) => {
    if (busy) return void message.info('Something is being added already; wait until it is there')
    setBusy(what)
    try {
      tell(await act())
    } catch (problem) {
      if (problem instanceof DOMException && problem.name === 'AbortError') void message.info('Nothing was added')
      else
        notification.error({
          title: problem instanceof ServerProblem ? problem.title : 'That did not work',
          description: problem instanceof Error ? problem.message : String(problem),
          duration: 12,
        })
    } finally {
      setBusy(null)
      setCopying(null)
    }
  }
  const add = (picked: string) => attempt(picked, () => send<Report>('POST', `/projects/${projectId}/gather`, { paths: [picked] }))
  const drop = async (transfer: DataTransfer) => {
    setOver(false)
    const files = await droppedFiles(transfer)
    if (files.length === 0) return void message.warning('There are no files in what was dropped')
    if (files.length > MOST_DROPPED) return void message.warning(`At most ${MOST_DROPPED} files can be dropped at once; pick their folder below instead`)
    const gone = new AbortController()
    abort.current = gone
    await attempt('upload', async () => {
      const looked = await lookFor(projectId, files)
      const copy = looked.bytes > UNASKED_BYTES ? await new Promise<Copy>((answer) => setAsked({ looked, answer })) : 'missing'
      setAsked(null)
      if (copy === 'nothing') throw new DOMException('cancelled', 'AbortError')
      const copied = await copyAll(projectId, copy === 'missing' ? looked.toCopy : [], {
        onProgress: (share, waiting) => setCopying({ share, waiting }),
        signal: gone.signal,
      })
      const report = await take(projectId, [...looked.lying, ...copied])
      if (looked.lying.length > 0) void message.info(`${looked.lying.length} used where they lie, not copied`)
      return report
    })
  }
  useDropAnywhere(setOver, drop)
  const entries = path === null ? (roots ?? []) : (folder?.entries ?? [])
  return (
    <aside className="side" aria-label="Where the files are">
      <h3>Where the files are</h3>
      <section className={over ? 'drop over' : 'drop'} aria-label="Drop folders here">
        {copying === null ? (
          <>
            {busy === 'upload' ? 'Looking where they lie …' : 'Drop folders here,'}
            <br />
            {busy !== 'upload' && 'one a camera'}
          </>
        ) : (
          <>
            <Progress percent={Math.round(copying.share * 100)} size="small" />
            {copying.waiting && <div role="status">the connection broke: it goes on by itself</div>}
            <Button size="small" onClick={() => abort.current?.abort()}>
              Cancel
            </Button>
          </>
        )}
      </section>
      <div style={{ display: 'flex', gap: 6, alignItems: 'center' }}>
        {path !== null && (
          <Button size="small" type="text" icon={<ArrowLeft size={14} />} aria-label="Up one folder" onClick={() => setPath(folder?.parent ?? null)} />
        )}
        <span className="mono" title={path ?? ''} style={{ overflow: 'hidden', textOverflow: 'ellipsis' }}>
          {path?.split('/').slice(-2).join('/') ?? 'folders that may be read'}
        </span>
      </div>
      {error && <p role="alert">{error.message}</p>}
      <Entries entries={entries} known={known} busy={busy} onOpen={setPath} onAdd={(picked) => void add(picked)} />
      {path !== null && folder?.entries.some((e) => e.kind === 'file') && (
        <Button block onClick={() => void add(path)} disabled={busy !== null}>
          Add this whole folder
        </Button>
      )}
      {path !== null && folder && entries.length === 0 && <p className="quiet">There are no pictures or sounds in this folder.</p>}
      {isFetching && <Spin size="small" />}
      {asked && <AskCopy looked={asked.looked} into={roots?.find((r) => r.name === 'dropped files')?.path ?? ''} onAnswer={asked.answer} />}
      {left.length > 0 && <NotAdded files={left} onClose={() => setLeft([])} />}
    </aside>
  )
}

/** What was found and not added the last time, each with the reason. */
function NotAdded({ files, onClose }: { files: readonly LeftOut[]; onClose: () => void }) {
  return (
    <section className="not-added" aria-label="Left out">
      <h3>
        Left out: {counted(files.length, 'file')}
        <Button size="small" type="text" icon={<X size={13} />} aria-label="Close the list of what was left out" onClick={onClose} />
      </h3>
      <ul>
        {files.map(({ name, why }) => (
          <li key={`${name} ${why}`}>
            <span className="mono">{name}</span> <span className="quiet">{why}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** The whole window takes what is dropped: a near miss would make the browser leave the page for the file. */
function useDropAnywhere(setOver: (over: boolean) => void, drop: (transfer: DataTransfer) => Promise<unknown>): void {
  const dropped = useEffectEvent((e: DragEvent) => {
    if (!e.dataTransfer?.types.includes('Files')) return
    e.preventDefault()
    void drop(e.dataTransfer)
  })
  useEffect(() => {
    const enter = (e: DragEvent) => {
      if (!e.dataTransfer?.types.includes('Files')) return
      e.preventDefault()
      e.dataTransfer.dropEffect = 'copy'
      setOver(true)
    }
    const leave = (e: DragEvent) => e.relatedTarget === null && setOver(false)
    const take = (e: DragEvent) => dropped(e)
    const listening = new AbortController()
    const options = { signal: listening.signal, capture: true }
    window.addEventListener('dragover', enter, options)
    window.addEventListener('dragleave', leave, options)
    window.addEventListener('drop', take, options)
    return () => listening.abort()
  }, [setOver])
}

interface EntriesProps {
  readonly entries: readonly FolderEntry[]
  readonly known: ReadonlySet<string>
  /** What is being added now. */
  readonly busy: string | null
  readonly onOpen: (path: string) => void
  readonly onAdd: (path: string) => void
}

/** Folders and recordings of a folder. */
function Entries({ entries, known, busy, onOpen, onAdd }: EntriesProps) {
  return (
    <ul className="folder-list">
      {entries.map((e) => (
        <li key={e.path}>
          {e.kind === 'folder' ? <Folder size={13} aria-hidden="true" /> : <FileVideo size={13} aria-hidden="true" />}
          {e.kind === 'folder' ? (
            <button type="button" className="plain go" onClick={() => onOpen(e.path)} title={e.path}>
              {e.name} <span className="quiet">{e.mediaCount > 0 ? e.mediaCount : ''}</span>
            </button>
          ) : (
            <span className="go" title={e.path}>
              {e.name}
            </span>
          )}
          {e.mediaCount > 0 &&
            (known.has(e.path) ? (
              <span className="quiet">added</span>
            ) : (
              <Button
                size="small"
                loading={busy === e.path}
                disabled={busy !== null && busy !== e.path}
                onClick={() => onAdd(e.path)}
                aria-label={`Add ${e.name}`}
              >
                add
              </Button>
            ))}
        </li>
      ))}
    </ul>
  )
}
