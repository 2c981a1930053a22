import { type RefObject, useEffect, useRef } from 'react'

/** Rows that were folded away come into view once they are unfolded: all of them, or as many as there is room for below their head. */
export function useUnfolded(scroller: RefObject<HTMLElement | null>, unfolded: ReadonlySet<string>, keys: readonly string[]): void {
  const before = useRef({ unfolded, keys })
  useEffect(() => {
    const old = before.current
    before.current = { unfolded, keys }
    const head = keys.find((key) => unfolded.has(key) && !old.unfolded.has(key))
    const last = keys.findLast((key) => !old.keys.includes(key))
    const box = scroller.current
    if (!box || !head || !last) return
    const rowOf = (key: string) => box.querySelector<HTMLElement>(`.sound-row[data-key="${CSS.escape(key)}"]`)
    const [first, end] = [rowOf(head), rowOf(last)]
    if (!first || !end) return
    end.scrollIntoView({ block: 'nearest' })
    const hidden = first.getBoundingClientRect().top < box.getBoundingClientRect().top + Number.parseFloat(getComputedStyle(first).scrollMarginTop)
    if (hidden) first.scrollIntoView({ block: 'start' })
  }, [scroller, unfolded, keys])
}
