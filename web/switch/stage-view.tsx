import { Dropdown, type MenuProps } from 'antd'
import { LayoutGrid } from 'lucide-react'
import { type ReactNode, useCallback, useEffect, useRef, useState } from 'react'
import { createPortal } from 'react-dom'
import { keyText } from '../ui/keymap.ts'
import { useKeys } from '../ui/use-keys.ts'
import { Divider } from './divider.tsx'
import { LEAST_HEIGHT, MOST_HEIGHT, SHOWN, type Shown, setStagePrefs, useStagePrefs } from './stage-prefs.ts'
import { Wall, type WallProps } from './wall.tsx'

const WORDS: Readonly<Record<Shown, string>> = { both: 'programme and angles', programme: 'the programme alone', angles: 'the angles alone' }

/** How the stage is shown: what of it, on all of the screen, in a window of its own. */
export function useStageView(more: MenuProps['items'] = []) {
  const stage = useRef<HTMLDivElement>(null)
  const { shown, lanes } = useStagePrefs()
  const [other, setOther] = useState<Window | null>(null)
  const next = () => setStagePrefs({ shown: SHOWN[(SHOWN.indexOf(shown) + 1) % SHOWN.length] })
  const full = () => void (document.fullscreenElement ? document.exitFullscreen() : stage.current?.requestFullscreen())?.catch(() => undefined)
  const open = () => {
    if (other) return other.focus()
    setOther(window.open('', 'pendolo-stage', 'popup,width=1280,height=800'))
  }
  useKeys('stageShown', next)
  useKeys('fullScreen', full)
  const items: MenuProps['items'] = [
    ...SHOWN.map((s) => ({ key: s, label: WORDS[s], onClick: () => setStagePrefs({ shown: s }) })),
    { type: 'divider' },
    { key: 'full', label: `all of the screen (${keyText('fullScreen')})`, onClick: full },
    other
      ? { key: 'close', label: 'close the second window', onClick: () => other.close() }
      : { key: 'window', label: 'in a second window too, for another screen', onClick: open },
    { type: 'divider' },
    { key: 'pictures', label: 'pictures in tall lanes', onClick: () => setStagePrefs({ lanes: { ...lanes, pictures: !lanes.pictures } }) },
    { key: 'waves', label: 'waveforms in the lanes', onClick: () => setStagePrefs({ lanes: { ...lanes, waves: !lanes.waves } }) },
    { type: 'divider' },
    ...more,
  ]
  const button = (
    <Dropdown trigger={['click']} menu={{ items, selectedKeys: [shown, ...(['pictures', 'waves'] as const).filter((k) => lanes[k])] }}>
      <button type="button" className="chip" aria-label="What the stage shows" title={`What the stage shows (${keyText('stageShown')})`}>
        <LayoutGrid size={14} />
      </button>
    </Dropdown>
  )
  const closed = useCallback(() => setOther(null), [])
  return { stage, button, other, closed }
}

type View = ReturnType<typeof useStageView>

/** The stage above, what follows below, and the line between them that is dragged. */
export function StageView({ view, wall, below }: { view: View; wall: WallProps; below: ReactNode }) {
  const { height } = useStagePrefs()
  const room = useRef<HTMLDivElement>(null)
  const set = (value: number) => setStagePrefs({ height: Math.min(MOST_HEIGHT, Math.max(LEAST_HEIGHT, value)) })
  return (
    <div className="switch-room" ref={room}>
      <div ref={view.stage} style={{ flex: `0 0 ${100 * height}%`, minHeight: 0, position: 'relative' }}>
        <Wall {...wall} />
      </div>
      <Divider
        label="Height of the stage"
        direction="row"
        value={height}
        at={(e) => {
          const box = room.current?.getBoundingClientRect()
          return box ? (e.clientY - box.top) / box.height : height
        }}
        onChange={set}
        onReset={() => setStagePrefs({ height: 0.47 })}
      />
      {below}
      {view.other && (
        <SecondWindow target={view.other} onClosed={view.closed}>
          <Wall {...wall} place="window" />
        </SecondWindow>
      )}
    </div>
  )
}

/** Draws into another window of the same page: it has no engine of its own, and its keys are this page's. */
function SecondWindow({ target, onClosed, children }: { target: Window; onClosed: () => void; children: ReactNode }) {
  const [root, setRoot] = useState<HTMLElement | null>(null)
  useEffect(() => {
    const { document: page } = target
    page.title = 'Pendolo, stage'
    page.head.replaceChildren(...[...document.querySelectorAll('style, link[rel=stylesheet]')].map((node) => node.cloneNode(true)))
    // A sheet that is linked relatively is looked for where this page lies.
    for (const link of page.querySelectorAll('link')) link.href = new URL(link.getAttribute('href') ?? '', window.location.href).href
    page.documentElement.dataset.paper = document.documentElement.dataset.paper
    const holder = page.createElement('div')
    holder.style.cssText = 'position:fixed;inset:0;background:#101113'
    page.body.replaceChildren(holder)
    const key = (event: KeyboardEvent) => {
      const { code, key: name, shiftKey, ctrlKey, metaKey, altKey, repeat } = event
      document.body.dispatchEvent(
        new KeyboardEvent(event.type, { code, key: name, shiftKey, ctrlKey, metaKey, altKey, repeat, bubbles: true, cancelable: true }),
      )
      if (!ctrlKey && !metaKey && !altKey) event.preventDefault()
    }
    target.addEventListener('keydown', key)
    target.addEventListener('keyup', key)
    const watch = setInterval(() => target.closed && onClosed(), 400)
    const leave = () => target.close()
    window.addEventListener('pagehide', leave)
    setRoot(holder)
    return () => {
      clearInterval(watch)
      window.removeEventListener('pagehide', leave)
      target.close()
    }
  }, [target, onClosed])
  return root ? createPortal(children, root) : null
}
