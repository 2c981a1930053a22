/** What is drawn with on a canvas of a size in px, cleared and sharp on any screen; null before it has a size. */
export function drawingOn(canvas: HTMLCanvasElement | null, width: number, height: number): CanvasRenderingContext2D | null {
  const ctx = canvas?.getContext('2d')
  if (!canvas || !ctx || width === 0) return null
  const ratio = window.devicePixelRatio
  canvas.width = Math.round(width * ratio)
  canvas.height = Math.round(height * ratio)
  ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
  return ctx
}
