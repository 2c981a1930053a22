import { createRequire } from 'node:module'
import type { SKRSContext2D } from '@napi-rs/canvas'
import { CARD_FONTS, drawCard } from '@pendolo/core/picture'

const FONTS = 'instrument-sans/files/instrument-sans'
const LOWEST = 16
const RANGE = 219

/** Something to draw on, with the fonts of cards and titles. */
export async function drawingGround(width: number, height: number): Promise<SKRSContext2D> {
  // Loaded only for films that need it: it brings an engine for drawing.
  const { createCanvas, GlobalFonts } = await import('@napi-rs/canvas')
  const { resolve } = createRequire(import.meta.url)
  for (const [i, letters] of ['latin', 'latin-ext'].entries())
    if (!GlobalFonts.has(CARD_FONTS[i])) GlobalFonts.registerFromPath(resolve(`@fontsource-variable/${FONTS}-${letters}-wght-normal.woff2`), CARD_FONTS[i])
  return createCanvas(width, height).getContext('2d')
}

/** Words of a film's card in the form that the encoder takes: planar 4:2:0, limited range. White on black has no colour. */
export async function cardFrame(text: string, { width, height }: { readonly width: number; readonly height: number }): Promise<Buffer> {
  const ink = await drawingGround(width, height)
  drawCard(ink, text, width, height)
  const { data } = ink.getImageData(0, 0, width, height)
  const luma = width * height
  const frame = Buffer.alloc((luma * 3) / 2, 128)
  for (let i = 0; i < luma; i++) frame[i] = LOWEST + Math.round((data[4 * i + 1] * RANGE) / 255)
  return frame
}
