/** How a wall is seated: columns on each side of the programme and rows, with the size of a tile. */
export interface Seating {
  readonly columnsPerSide: number
  readonly rows: number
  readonly tileWidth: number
  readonly tileHeight: number
  readonly programmeWidth: number
  readonly programmeHeight: number
}

/**
 * Seats `count` tiles left and right of the programme so that picture area is largest: every number of columns is
 * tried; the programme takes what is left, but never less than a tile and, where room allows, half the width.
 * @param width,height room in pixels
 * @param gap pixels between tiles
 */
export function seat(count: number, width: number, height: number, gap: number, aspect = 16 / 9): Seating {
  let best: Seating | null = null
  let bestScore = -1
  const sides = Math.max(1, Math.ceil(count / 2))
  for (let rows = 1; rows <= Math.max(1, sides); rows++) {
    const columns = Math.ceil(sides / rows)
    let tileHeight = Math.floor((height - gap * (rows - 1)) / rows)
    let tileWidth = Math.floor(tileHeight * aspect)
    const widest = Math.floor((width * 0.3 - gap * columns) / columns)
    if (tileWidth > widest) {
      tileWidth = widest
      tileHeight = Math.floor(tileWidth / aspect)
    }
    if (tileWidth < 16) continue
    const room = width - 2 * columns * (tileWidth + gap)
    const programmeWidth = Math.floor(Math.min(room, height * aspect))
    if (programmeWidth < tileWidth) continue
    // Tiles count fully, the programme less: it is always the largest, and small tiles are what people complain of.
    const score = count * tileWidth * tileHeight + 0.6 * programmeWidth * (programmeWidth / aspect)
    if (score > bestScore) {
      bestScore = score
      best = { columnsPerSide: columns, rows, tileWidth, tileHeight, programmeWidth, programmeHeight: Math.floor(programmeWidth / aspect) }
    }
  }
  return (
    best ?? {
      columnsPerSide: 1,
      rows: sides,
      tileWidth: 16,
      tileHeight: 9,
      programmeWidth: Math.max(16, Math.floor(width / 2)),
      programmeHeight: Math.max(9, Math.floor(width / 2 / aspect)),
    }
  )
}
