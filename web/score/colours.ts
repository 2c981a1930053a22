import { useMemo, useSyncExternalStore } from 'react'

/** Colours of the paper that is in use, for what is drawn. */
export interface PaperColours {
  readonly paper: string
  readonly deep: string
  readonly side: string
  readonly ink: string
  readonly quiet: string
  readonly line: string
  readonly wave: string
  readonly brass: string
}

const NAMES: Record<keyof PaperColours, string> = {
  paper: '--paper',
  deep: '--paper-deep',
  side: '--paper-side',
  ink: '--ink',
  quiet: '--ink-quiet',
  line: '--ink-line',
  wave: '--ink-wave',
  brass: '--brass',
}

function subscribe(changed: () => void): () => void {
  const watch = new MutationObserver(changed)
  watch.observe(document.documentElement, { attributeFilter: ['data-paper'] })
  return () => watch.disconnect()
}

/** The colours now; they change with the paper. */
export function usePaperColours(): PaperColours {
  const paper = useSyncExternalStore(subscribe, () => document.documentElement.dataset.paper ?? '')
  return useMemo(() => {
    void paper
    const style = getComputedStyle(document.documentElement)
    return Object.fromEntries(Object.entries(NAMES).map(([key, name]) => [key, style.getPropertyValue(name).trim()])) as unknown as PaperColours
  }, [paper])
}
