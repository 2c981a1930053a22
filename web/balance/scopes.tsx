import { EXPOSURE_ZONES } from '@pendolo/core/picture'
import { type RefObject, useEffect, useRef } from 'react'
import { SCOPES, type ScopeName, type ToScopes } from './scope-names.ts'

const ABOUT: Readonly<Record<ScopeName, string>> = {
  brightness: 'how bright it is from left to right: black below, white above',
  colours: 'which colours: grey in the middle, red above, blue to the right',
  histogram: 'how much there is of each number of red, green and blue: black on the left, white on the right',
  exposure: `how bright each part is: ${EXPOSURE_ZONES.map((z) => z.name).join(', ')}`,
}
/** Width of the picture that is measured, px, and how often it is taken, ms. */
const TAKEN_WIDTH = 240
const EVERY = 120

/** What a picture is made of, measured as it is seen. @param of what holds its canvas */
export function Scopes({ of }: { readonly of: RefObject<HTMLElement | null> }) {
  const ref = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const worker = new Worker(new URL('./scopes.worker.ts', import.meta.url), { type: 'module' })
    const send = (message: ToScopes, transfer: Transferable[]) => worker.postMessage(message, transfer)
    // A canvas can be given away once only, so each mounting makes its own.
    const made = [...(ref.current?.querySelectorAll<HTMLElement>('[data-scope]') ?? [])].map((holder) => {
      const canvas = document.createElement('canvas')
      Object.assign(canvas, { width: Math.max(1, holder.clientWidth), height: Math.max(1, holder.clientHeight) })
      holder.append(canvas)
      const own = canvas.transferControlToOffscreen()
      send({ type: 'canvas', name: holder.dataset.scope as ScopeName, canvas: own }, [own])
      return canvas
    })
    let timer: ReturnType<typeof setTimeout>
    let over = false
    const take = async () => {
      const canvas = of.current?.querySelector('canvas')
      const picture =
        canvas && canvas.width > 1
          ? await createImageBitmap(canvas, {
              resizeWidth: TAKEN_WIDTH,
              resizeHeight: Math.max(1, Math.round((TAKEN_WIDTH * canvas.height) / canvas.width)),
            }).catch(() => null)
          : null
      if (over) picture?.close()
      else if (picture) send({ type: 'picture', picture }, [picture])
      else timer = setTimeout(take, EVERY)
    }
    worker.onmessage = () => {
      timer = setTimeout(take, EVERY)
    }
    void take()
    return () => {
      over = true
      clearTimeout(timer)
      worker.terminate()
      for (const canvas of made) canvas.remove()
    }
  }, [of])
  return (
    <div className="scopes" ref={ref} role="group" aria-label="Scopes">
      {SCOPES.map((name) => (
        <figure key={name} title={ABOUT[name]}>
          <div data-scope={name} role="img" aria-label={`${name}: ${ABOUT[name]}`} />
          <figcaption>{name}</figcaption>
        </figure>
      ))}
    </div>
  )
}
