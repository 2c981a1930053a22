import { type Colour, type ColourTable, type InputTable, type Look, lookTable, TABLE_SIZE, throughTable } from '@pendolo/core/picture'

const tables = new Map<string, ColourTable>()
const MOST_TABLES = 64

/** Tables that looks name, by their ids: as they came, or null while they are waited for. */
const inputs = new Map<string, ColourTable | null>()
const listeners = new Set<() => void>()

/** Told whenever a table has come that was waited for. @returns stops it */
export function onInput(listener: () => void): () => void {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

/** The table that a look names, as far as it is here; what is not is fetched. */
function inputOf(look: Look): ColourTable | null {
  if (!look.input) return null
  const { id } = look.input
  const known = inputs.get(id)
  if (known !== undefined) return known
  inputs.set(id, null)
  fetchTable(id)
    .then((table) => {
      inputs.set(id, table)
      for (const listener of listeners) listener()
    })
    // It is asked for again when it is wanted again.
    .catch(() => inputs.delete(id))
  return null
}

async function fetchTable(id: string): Promise<ColourTable> {
  const response = await fetch(`/api/tables/${id}`)
  const bytes = await response.arrayBuffer()
  if (!response.ok || bytes.byteLength !== TABLE_SIZE ** 3 * 3 * 4) throw new Error('no table')
  return new Float32Array(bytes)
}

/** The table of a look, made once. Until what it names has come, pictures are shown without it. */
export function tableOf(look: Look): ColourTable {
  const input = inputOf(look)
  const key = JSON.stringify(look)
  let table = tables.get(key)
  if (!table || (look.input && !input)) {
    if (tables.size >= MOST_TABLES) tables.clear()
    table = lookTable(look, input)
    if (input || !look.input) tables.set(key, table)
  }
  return table
}

/** Colours as the table that a look names leaves them, before all that is corrected. */
export function throughInput(look: Look | null | undefined, colours: readonly Colour[]): readonly Colour[] {
  const input = look && inputOf(look)
  if (!input) return colours
  const pixels = Uint32Array.from(colours, ([r, g, b]) => (Math.round(255 * b) << 16) | (Math.round(255 * g) << 8) | Math.round(255 * r))
  throughTable(input, pixels)
  return Array.from(pixels, (p): Colour => [(p & 255) / 255, ((p >> 8) & 255) / 255, ((p >> 16) & 255) / 255])
}

/** A table that was just read, known here before anybody asks for it. */
export function knowInput({ id }: InputTable, table: ColourTable): void {
  inputs.set(id, table)
}
