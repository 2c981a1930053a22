/** What a card is drawn with: the part of a 2D canvas context that browsers and servers share. */
export interface CardInk {
  font: string
  fillStyle: unknown
  textAlign: unknown
  textBaseline: unknown
  fillRect(x: number, y: number, width: number, height: number): void
  fillText(text: string, x: number, y: number): void
  measureText(text: string): { readonly width: number }
}

/** Names under which hosts register the font of cards: its Latin letters, and more of them. */
export const CARD_FONTS = ['Card', 'CardMore'] as const
export const CARD_FAMILIES = [...CARD_FONTS, 'sans-serif'].join(', ')
/** Shares of the card: height of the largest letters, width and height that words may take, distance of lines in letters. */
const LETTER = 0.1
const SMALLEST = 0.02
const WIDTH = 0.84
const HEIGHT = 0.8
const LINE = 1.32
const SHRINK = 0.92

/**
 * Draws a card of a film: white words in the middle of black. Lines are divided where the text says so and where they are too
 * wide; the letters become smaller until all fits. Pictures while playing and films are drawn by this alike.
 * @param text words; lines end with \n; empty: black
 */
export function drawCard(ink: CardInk, text: string, width: number, height: number): void {
  ink.fillStyle = '#000'
  ink.fillRect(0, 0, width, height)
  const paragraphs = text.split('\n').map((line) => line.trim())
  if (paragraphs.every((line) => line === '')) return
  let size = LETTER * height
  let lines: string[]
  for (;;) {
    ink.font = `500 ${size}px ${CARD_FAMILIES}`
    lines = paragraphs.flatMap((line) => wrapped(ink, line, WIDTH * width))
    const fits = lines.length * LINE * size <= HEIGHT * height && lines.every((line) => ink.measureText(line).width <= WIDTH * width)
    if (fits || size <= SMALLEST * height) break
    size = Math.max(SMALLEST * height, size * SHRINK)
  }
  ink.fillStyle = '#fff'
  ink.textAlign = 'center'
  ink.textBaseline = 'middle'
  const first = height / 2 - ((lines.length - 1) / 2) * LINE * size
  for (const [i, line] of lines.entries()) ink.fillText(line, width / 2, first + i * LINE * size)
}

/** A paragraph as lines that are no wider than `most` pixels, as far as its words allow; the font is set already. */
export function wrapped(ink: CardInk, paragraph: string, most: number): string[] {
  const lines: string[] = []
  let line = ''
  for (const word of paragraph.split(/\s+/)) {
    const longer = line === '' ? word : `${line} ${word}`
    if (line !== '' && ink.measureText(longer).width > most) {
      lines.push(line)
      line = word
    } else line = longer
  }
  return [...lines, line]
}
