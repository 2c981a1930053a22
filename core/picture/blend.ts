/** A frame of one colour, as planes (I420). @param luma,chroma ITU-R BT.709-6, 8 bits */
export function plainFrame(width: number, height: number, luma: number, chroma = 128): Uint8Array {
  const [own, half] = [width * height, ((width + 1) >> 1) * ((height + 1) >> 1)]
  const out = new Uint8Array(own + 2 * half).fill(chroma)
  return out.fill(luma, 0, own)
}

/** Black and white of a film (ITU-R BT.709-6, 8 bits). */
export const BLACK_LUMA = 16
export const WHITE_LUMA = 235

/**
 * Lays one picture over another of the same size, value by value; planes or pixels alike.
 * @param share of the upper one, 0..1
 * @param out may be one of both
 * @throws TypeError when lengths differ
 */
export function blend(under: Uint8Array, over: Uint8Array, share: number, out: Uint8Array): void {
  if (under.length !== over.length || out.length !== under.length) throw new TypeError(`pictures of ${under.length}, ${over.length} and ${out.length} bytes`)
  const parts = Math.round(65536 * Math.max(0, Math.min(1, share)))
  for (let i = 0; i < out.length; i++) out[i] = ((under[i] << 16) + (over[i] - under[i]) * parts + 32768) >> 16
}
