import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { App as AntApp, ConfigProvider } from 'antd'
import { useEffect, useState } from 'react'
import { BrowserRouter, Navigate, Route, Routes } from 'react-router'
import { ControlPage } from './control/control-page.tsx'
import { useServerEvents } from './data/events.ts'
import { Home } from './home/home.tsx'
import { ProjectFrame } from './project-frame.tsx'
import { giveFocusBack, leaveField } from './ui/focus.ts'
import { KeysList } from './ui/keys.tsx'
import { usePaper } from './ui/paper.tsx'
import { Rail } from './ui/rail.tsx'
import { stageTheme } from './ui/theme.ts'
import { useKeys } from './ui/use-keys.ts'

const client = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false, staleTime: 60_000 } } })

export function Application() {
  return (
    <ConfigProvider theme={stageTheme}>
      <AntApp notification={{ placement: 'bottomRight', duration: 6 }} message={{ top: 50, pauseOnHover: false }} style={{ height: '100%' }}>
        <QueryClientProvider client={client}>
          <BrowserRouter>
            <Pages />
          </BrowserRouter>
        </QueryClientProvider>
      </AntApp>
    </ConfigProvider>
  )
}

function Pages() {
  useServerEvents()
  useEffect(refuseStrayDrops, [])
  useEffect(keepKeysAlive, [])
  return (
    <Routes>
      <Route path="/" element={<HomePage />} />
      <Route path="/:projectId" element={<Navigate to="gather" replace />} />
      <Route path="/:projectId/control" element={<ControlPage />} />
      <Route path="/:projectId/:stage" element={<ProjectFrame />} />
      <Route path="*" element={<Navigate to="/" replace />} />
    </Routes>
  )
}

/** A file dropped where nothing takes it must not make the browser leave the page. */
function refuseStrayDrops() {
  const refuse = (e: DragEvent) => {
    if (e.defaultPrevented) return
    e.preventDefault()
    if (e.dataTransfer) e.dataTransfer.dropEffect = 'none'
  }
  window.addEventListener('dragover', refuse)
  window.addEventListener('drop', refuse)
  return () => {
    window.removeEventListener('dragover', refuse)
    window.removeEventListener('drop', refuse)
  }
}

function keepKeysAlive() {
  window.addEventListener('click', giveFocusBack)
  window.addEventListener('keydown', leaveField)
  return () => {
    window.removeEventListener('click', giveFocusBack)
    window.removeEventListener('keydown', leaveField)
  }
}

function HomePage() {
  const [keys, setKeys] = useState(false)
  useKeys('help', () => setKeys(true))
  const { turn } = usePaper()
  return (
    <div className="house">
      <Rail current={null} done={[]} onKeys={() => setKeys(true)} onPaper={turn} />
      <Home />
      <KeysList open={keys} onClose={() => setKeys(false)} />
    </div>
  )
}
