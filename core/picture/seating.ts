/** A rectangle in pixels. */
export interface Seat {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

/** How a stage is seated. */
export interface Seating {
  /** The programme, and what is kept beside it. */
  readonly large: readonly Seat[]
  /** The angles in their order. */
  readonly tiles: readonly Seat[]
  /** Share of the stage that shows no picture, 0..1. */
  readonly waste: number
}

export interface SeatingWishes {
  /** Width over height of all pictures. */
  readonly aspect?: number
  /** Large pictures: 0 for the wall alone, 1 for the programme, 2 with one kept beside it. */
  readonly large?: 0 | 1 | 2
  /** Share of the stage's width that large pictures shall have, 0..1; without it what fills the stage best. */
  readonly share?: number
}

/** A large picture is at least so many times as wide as a tile. */
const LARGER = 1.25
/** Share of the stage that the programme has best, where nothing is wished. */
const BALANCE = 0.42
const LEAST_TILE = 24

interface Room {
  readonly width: number
  readonly height: number
  readonly gap: number
  readonly aspect: number
  readonly large: number
  readonly share: number | undefined
}

/**
 * Seats the programme and the angles so that pictures fill the stage. Seatings with the programme beside the angles (between
 * them), above them and among them are tried at every number of rows and columns, and that which shows most picture is taken;
 * positions depend on nothing but the arguments.
 * @param count angles
 * @param width,height of the stage, px
 * @param gap between pictures, px
 */
export function seat(count: number, width: number, height: number, gap: number, { aspect = 16 / 9, large = 1, share }: SeatingWishes = {}): Seating {
  const room: Room = { width, height, gap, aspect, large, share: large === 0 || count === 0 ? undefined : share }
  let best: Seating | null = null
  let most = Number.NEGATIVE_INFINITY
  for (const seating of candidates(count, room)) {
    const programme = seating.large.reduce((sum, s) => sum + s.width * s.height, 0) / (width * height)
    const wide = seating.large.reduce((sum, s) => sum + s.width, 0) / width
    const off = room.share === undefined ? (large > 0 && count > 0 ? 0.4 * Math.abs(programme - BALANCE) : 0) : 3 * Math.abs(wide - room.share)
    const score = 1 - seating.waste - off
    if (score > most + 1e-9) {
      most = score
      best = seating
    }
  }
  return best ?? squeezed(count, room)
}

function* candidates(count: number, room: Room): Generator<Seating> {
  if (room.large === 0 || count === 0) {
    yield* alone(room.large === 0 ? count : room.large, room)
    return
  }
  for (let rows = 1; rows <= count; rows++) {
    const columns = Math.ceil(count / rows)
    for (const size of besideSizes(rows, columns, room)) yield beside(count, rows, columns, size, room)
    for (const size of aboveSizes(rows, columns, room)) yield above(count, rows, columns, size, room)
  }
  for (let block = 2; block <= 6; block++)
    for (let rows = block; rows <= block + 4; rows++) {
      const columns = Math.ceil((count + room.large * block * block) / rows)
      for (const wide of [columns, columns + 1]) {
        const seating = wide >= room.large * block ? among(count, rows, wide, block, room) : null
        if (seating) yield seating
      }
    }
}

function finished(large: Seat[], tiles: Seat[], { width, height }: Room): Seating {
  const whole = (s: Seat): Seat => ({ x: Math.round(s.x), y: Math.round(s.y), width: Math.floor(s.width), height: Math.floor(s.height) })
  const seats = { large: large.map(whole), tiles: tiles.map(whole) }
  const used = [...seats.large, ...seats.tiles].reduce((sum, s) => sum + s.width * s.height, 0)
  return { ...seats, waste: 1 - used / (width * height) }
}

/** One kind of picture only, in the rows that make them largest. */
function* alone(count: number, room: Room): Generator<Seating> {
  const { width, height, gap, aspect } = room
  for (let rows = 1; rows <= Math.max(1, count); rows++) {
    const columns = Math.max(1, Math.ceil(count / rows))
    const tile = Math.min((width - (columns - 1) * gap) / columns, ((height - (rows - 1) * gap) / rows) * aspect)
    if (tile < LEAST_TILE) continue
    const seats = grid(count, columns, rows, tile, (width - columns * tile - (columns - 1) * gap) / 2, room)
    yield room.large === 0 ? finished([], seats, room) : finished(seats, [], room)
  }
}

/** Tiles in rows, read from the left, as a block that is centred in the height. */
function grid(count: number, columns: number, rows: number, tile: number, left: number, { height, gap, aspect }: Room): Seat[] {
  const tall = tile / aspect
  const used = Math.min(rows, Math.ceil(count / columns))
  const top = (height - used * tall - (used - 1) * gap) / 2
  return Array.from({ length: count }, (_, i) => ({
    x: left + (i % columns) * (tile + gap),
    y: top + Math.floor(i / columns) * (tall + gap),
    width: tile,
    height: tall,
  }))
}

interface Sizes {
  readonly tile: number
  /** Width of a large picture. */
  readonly wide: number
}

/** Sizes at which tiles fill the height, or large pictures keep their least size, or are as wide as is wished. */
function besideSizes(rows: number, columns: number, { width, height, gap, aspect, large, share }: Room): Sizes[] {
  const rest = width - columns * gap - (large - 1) * gap
  const tallest = ((height - (rows - 1) * gap) / rows) * aspect
  const most = height * aspect
  const fits = ({ tile, wide }: Sizes) =>
    tile >= LEAST_TILE && tile <= tallest + 1e-9 && wide <= most + 1e-9 && wide >= tile * (share === undefined ? LARGER : 0.5)
  if (share !== undefined) {
    const wide = Math.min(most, (share * width) / large)
    return [{ tile: Math.min(tallest, (rest - large * wide) / columns), wide }].filter(fits)
  }
  const full: Sizes = { tile: tallest, wide: Math.min(most, (rest - columns * tallest) / large) }
  const least = rest / (columns + large * LARGER)
  const filled: Sizes = { tile: Math.min(tallest, (rest - large * most) / columns), wide: most }
  return [full, { tile: least, wide: least * LARGER }, filled].filter(fits)
}

function beside(count: number, rows: number, columns: number, { tile, wide }: Sizes, room: Room): Seating {
  const { width, height, gap, aspect, large } = room
  const total = columns * (tile + gap) + large * wide + (large - 1) * gap
  const start = (width - total) / 2
  const left = Math.ceil(columns / 2)
  const mine = Math.min(count, left * rows, Math.round((count * left) / columns))
  const tall = wide / aspect
  const from = start + left * (tile + gap)
  const largest = Array.from({ length: large }, (_, i): Seat => ({ x: from + i * (wide + gap), y: (height - tall) / 2, width: wide, height: tall }))
  const right = columns - left
  const others = count - mine
  const tiles = [...grid(mine, left, rows, tile, start, room), ...(right > 0 ? grid(others, right, rows, tile, from + large * (wide + gap), room) : [])]
  // Where one side has fewer rows, both begin at the same height, so that the wall reads as one.
  const top = Math.min(...tiles.map((t) => t.y))
  const shift = (list: Seat[]) => {
    const own = Math.min(...list.map((t) => t.y))
    return list.map((t) => ({ ...t, y: t.y - own + top }))
  }
  return finished(largest, right > 0 && others > 0 ? [...shift(tiles.slice(0, mine)), ...shift(tiles.slice(mine))] : tiles, room)
}

function aboveSizes(rows: number, columns: number, { width, height, gap, aspect, large, share }: Room): Sizes[] {
  const widest = (width - (columns - 1) * gap) / columns
  const most = (width - (large - 1) * gap) / large
  const fits = ({ tile, wide }: Sizes) => tile >= LEAST_TILE && tile <= widest + 1e-9 && wide >= tile * (share === undefined ? LARGER : 0.5)
  const under = (tile: number) => Math.min(most, (height - rows * (tile / aspect + gap)) * aspect)
  if (share !== undefined) {
    const wide = Math.min(most, (share * width) / large, height * aspect)
    return [{ tile: Math.min(widest, ((height - wide / aspect) / rows - gap) * aspect), wide }].filter(fits)
  }
  const least = ((height - rows * gap) / (rows + LARGER)) * aspect
  return [
    { tile: widest, wide: under(widest) },
    { tile: Math.min(widest, least), wide: under(Math.min(widest, least)) },
  ].filter(fits)
}

function above(count: number, rows: number, columns: number, { tile, wide }: Sizes, room: Room): Seating {
  const { width, height, gap, aspect, large } = room
  const [tall, low] = [wide / aspect, tile / aspect]
  const top = (height - tall - rows * (low + gap)) / 2
  const start = (width - large * wide - (large - 1) * gap) / 2
  const largest = Array.from({ length: large }, (_, i): Seat => ({ x: start + i * (wide + gap), y: top, width: wide, height: tall }))
  const left = (width - columns * tile - (columns - 1) * gap) / 2
  const tiles = grid(count, columns, rows, tile, left, room).map((t, i) => ({ ...t, y: top + tall + gap + Math.floor(i / columns) * (low + gap) }))
  return finished(largest, tiles, room)
}

/** Large pictures take blocks of a grid whose other cells are the tiles'. */
function among(count: number, rows: number, columns: number, block: number, room: Room): Seating | null {
  const { width, height, gap, aspect, large } = room
  if (columns * rows - large * block * block < count) return null
  const tile = Math.min((width - (columns - 1) * gap) / columns, ((height - (rows - 1) * gap) / rows) * aspect)
  if (tile < LEAST_TILE) return null
  const low = tile / aspect
  const left = (width - columns * tile - (columns - 1) * gap) / 2
  const top = (height - rows * low - (rows - 1) * gap) / 2
  const first = Math.floor((columns - large * block) / 2)
  const wide = block * tile + (block - 1) * gap
  const high = block * low + (block - 1) * gap
  const largest = Array.from({ length: large }, (_, i): Seat => {
    const fit = Math.min(wide, high * aspect)
    const x = left + (first + i * block) * (tile + gap)
    return { x: x + (wide - fit) / 2, y: top + (high - fit / aspect) / 2, width: fit, height: fit / aspect }
  })
  const tiles: Seat[] = []
  for (let cell = 0; cell < rows * columns && tiles.length < count; cell++) {
    const [row, column] = [Math.floor(cell / columns), cell % columns]
    if (row < block && column >= first && column < first + large * block) continue
    tiles.push({ x: left + column * (tile + gap), y: top + row * (low + gap), width: tile, height: low })
  }
  return finished(largest, tiles, room)
}

/** Where no seating fits, everybody is small: half the width for the programme, the rest for tiles. */
function squeezed(count: number, room: Room): Seating {
  const { width, height, aspect, large } = room
  const half = large > 0 ? width / 2 : 0
  const largest = Array.from({ length: large }, (_, i): Seat => {
    const wide = Math.max(8, Math.min(half / large, height * aspect))
    return { x: (i * half) / large, y: 0, width: wide, height: wide / aspect }
  })
  const columns = Math.max(1, Math.ceil(Math.sqrt((count * (width - half)) / Math.max(1, height) / aspect)))
  const rows = Math.max(1, Math.ceil(count / columns))
  const tile = Math.max(4, Math.min((width - half) / columns, (height / rows) * aspect))
  const tiles = Array.from(
    { length: count },
    (_, i): Seat => ({
      x: half + (i % columns) * tile,
      y: Math.floor(i / columns) * (tile / aspect),
      width: tile,
      height: tile / aspect,
    }),
  )
  return finished(largest, tiles, room)
}
