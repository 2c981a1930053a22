import { type ColourTable, type Look, lookTable } from '@pendolo/core/picture'

const tables = new Map<string, ColourTable>()
const MOST_TABLES = 64

/** The table of a look, made once. */
export function tableOf(look: Look): ColourTable {
  const key = JSON.stringify(look)
  let table = tables.get(key)
  if (!table) {
    if (tables.size >= MOST_TABLES) tables.clear()
    table = lookTable(look)
    tables.set(key, table)
  }
  return table
}
