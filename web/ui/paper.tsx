import { ConfigProvider } from 'antd'
import { type ReactNode, useSyncExternalStore } from 'react'
import { dimPaperTheme, paperTheme } from './theme.ts'

const KEY = 'pendolo.paper'
const listeners = new Set<() => void>()

function read(): 'light' | 'dim' {
  return localStorage.getItem(KEY) === 'dim' ? 'dim' : 'light'
}

function apply(): void {
  document.documentElement.dataset.paper = read()
}
apply()

function turn(): void {
  localStorage.setItem(KEY, read() === 'dim' ? 'light' : 'dim')
  apply()
  for (const listener of listeners) listener()
}

/** The paper a person likes, remembered on this device. */
export function usePaper(): { paper: 'light' | 'dim'; turn: () => void } {
  const paper = useSyncExternalStore((listener) => {
    listeners.add(listener)
    return () => listeners.delete(listener)
  }, read)
  return { paper, turn }
}

/** A part of the screen that is paper: its controls are inked. */
export function Paper({ children, className = '', ...rest }: { children: ReactNode; className?: string } & React.HTMLAttributes<HTMLDivElement>) {
  const { paper } = usePaper()
  return (
    <ConfigProvider theme={paper === 'dim' ? dimPaperTheme : paperTheme}>
      <div className={`paper ${className}`} {...rest}>
        {children}
      </div>
    </ConfigProvider>
  )
}
