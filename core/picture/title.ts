import { CARD_FAMILIES, type CardInk, wrapped } from './card.ts'

/** What a title is drawn with: as a card, on a ground that one sees through. */
export interface TitleInk extends CardInk {
  clearRect(x: number, y: number, width: number, height: number): void
}

export const TITLE_ALIGNS = ['left', 'center', 'right'] as const

/** How a title is drawn and comes. Colours are written #rrggbb. */
export interface TitleStyle {
  /** Height of its letters in parts of the frame's height, 0.02 to 0.4. */
  readonly letters: number
  readonly colour: string
  readonly align: (typeof TITLE_ALIGNS)[number]
  readonly bold?: true
  /** A box behind the words, and how little one sees through it, 0..1. */
  readonly box?: { readonly colour: string; readonly share: number }
  /** It slides into its place from below and out of it, instead of fading. */
  readonly slides?: true
  /** It goes through its place from below to above as long as it lasts: names at the end. */
  readonly rolls?: true
}

export const TITLE_LETTERS = [0.02, 0.4] as const
export const USUAL_TITLE: TitleStyle = { letters: 0.06, colour: '#ffffff', align: 'center' }

/** Distance of lines and room at the sides, in letters. */
const LINE = 1.32
const ROOM = 0.5

/** The words of a title, divided into lines. */
export interface TitleBlock {
  readonly lines: readonly string[]
  /** Height of letters and of all of it, pixels. */
  readonly letters: number
  readonly height: number
}

const fontOf = ({ bold }: TitleStyle, letters: number) => `${bold ? 700 : 500} ${letters}px ${CARD_FAMILIES}`

/**
 * Divides the words of a title where the text says so and where they are too wide.
 * @param width of its place, pixels
 * @param frameHeight of the frame that it is drawn for, pixels
 */
export function titleBlock(ink: TitleInk, text: string, style: TitleStyle, width: number, frameHeight: number): TitleBlock {
  const letters = style.letters * frameHeight
  ink.font = fontOf(style, letters)
  const lines = text.split('\n').flatMap((line) => wrapped(ink, line.trim(), width - 2 * ROOM * letters))
  return { lines, letters, height: Math.ceil((lines.length * LINE + ROOM) * letters) }
}

/** Draws a title in the middle of a ground that one sees through. Pictures while playing and films are drawn by this alike. */
export function drawTitle(ink: TitleInk, { lines, letters }: TitleBlock, style: TitleStyle, width: number, height: number): void {
  ink.clearRect(0, 0, width, height)
  if (style.box) {
    ink.fillStyle = `${style.box.colour}${Math.round(255 * style.box.share)
      .toString(16)
      .padStart(2, '0')}`
    ink.fillRect(0, 0, width, height)
  }
  ink.font = fontOf(style, letters)
  ink.fillStyle = style.colour
  ink.textAlign = style.align
  ink.textBaseline = 'middle'
  const x = style.align === 'left' ? ROOM * letters : style.align === 'right' ? width - ROOM * letters : width / 2
  const first = height / 2 - ((lines.length - 1) / 2) * LINE * letters
  for (const [i, line] of lines.entries()) ink.fillText(line, x, first + i * LINE * letters)
}
