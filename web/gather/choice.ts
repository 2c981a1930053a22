import { useRef, useState } from 'react'

/** Which clips of the table are chosen: one by one, ranges with Shift, whole angles. @param order all clips as they are listed */
export function useChoice(order: readonly string[], clipsOf: (angleId: string) => string[]) {
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set())
  const last = useRef<string | null>(null)
  /** One clip more or less; as a range all from the one before. */
  const toggle = (id: string, range: boolean) => {
    const [from, to] = [order.indexOf(last.current ?? ''), order.indexOf(id)]
    const meant = range && from >= 0 && to >= 0 ? order.slice(Math.min(from, to), Math.max(from, to) + 1) : [id]
    last.current = id
    setChosen((now) => {
      const add = !now.has(id)
      return new Set(add ? [...now, ...meant] : [...now].filter((one) => !meant.includes(one)))
    })
  }
  /** All clips of an angle, or none where they are chosen already. */
  const toggleAngle = (angleId: string) =>
    setChosen((now) => {
      const own = clipsOf(angleId)
      const all = own.every((id) => now.has(id))
      return new Set(all ? [...now].filter((id) => !own.includes(id)) : [...now, ...own])
    })
  return { chosen, setChosen, toggle, toggleAngle }
}
