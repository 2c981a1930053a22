import type { Colour, Look } from '@pendolo/core/picture'

/** What is to be matched: colours of the same instants, as they were recorded. */
export interface ToMatch {
  readonly own: readonly Colour[]
  readonly reference: readonly Colour[]
  /** How the pictures of the other angle are corrected, if they are. */
  readonly referenceLook: Look | null
}

export interface FromMatch {
  /** null where too little is seen of one of them. */
  readonly look: Look | null
}

/** So many colours of a picture are compared, across and down. */
const GRID = { width: 20, height: 11 }

/** Colours of a small picture, spread evenly over it. */
export function coloursOf(picture: ImageBitmap): Colour[] {
  const ctx = new OffscreenCanvas(GRID.width, GRID.height).getContext('2d', { alpha: false, willReadFrequently: true })
  if (!ctx) return []
  ctx.imageSmoothingQuality = 'high'
  ctx.drawImage(picture, 0, 0, GRID.width, GRID.height)
  const { data } = ctx.getImageData(0, 0, GRID.width, GRID.height)
  return Array.from({ length: GRID.width * GRID.height }, (_, i) => [data[4 * i] / 255, data[4 * i + 1] / 255, data[4 * i + 2] / 255])
}

/** Matches in a worker, one pair after the other. @returns the look of each; rejected when it was given up */
export async function matchAll(pairs: readonly ToMatch[], signal: AbortSignal): Promise<(Look | null)[]> {
  const worker = new Worker(new URL('./match.worker.ts', import.meta.url), { type: 'module' })
  try {
    const out: (Look | null)[] = []
    for (const pair of pairs)
      out.push(
        await new Promise<Look | null>((resolve, reject) => {
          signal.throwIfAborted()
          signal.addEventListener('abort', () => reject(signal.reason), { once: true })
          worker.onmessage = ({ data }: MessageEvent<FromMatch>) => resolve(data.look)
          worker.onerror = ({ message }) => reject(new Error(message))
          worker.postMessage(pair)
        }),
      )
    return out
  } finally {
    worker.terminate()
  }
}
