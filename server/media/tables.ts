import { createHash } from 'node:crypto'
import { existsSync } from 'node:fs'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { type ColourTable, type InputTable, TABLE_SIZE } from '@pendolo/core/picture'
import type { Config } from '../config.ts'
import { completeFiles } from './artefacts.ts'
import { MediaError } from './words.ts'

/** Bytes of a table as it is kept: numbers of four bytes, little end first. */
export const TABLE_BYTES = TABLE_SIZE ** 3 * 3 * 4

export const tablePath = (config: Config, id: string): string => path.join(config.worked, 'tables', `${id}.f32`)

/** Keeps a table beside the projects under the name of what it holds. @returns that name */
export async function keepTable(config: Config, bytes: Uint8Array): Promise<string> {
  const id = createHash('sha256').update(bytes).digest('hex').slice(0, 32)
  const file = tablePath(config, id)
  if (!existsSync(file)) {
    await mkdir(path.dirname(file), { recursive: true })
    await completeFiles([file], ([part]) => writeFile(part, bytes))
  }
  return id
}

/** A kept table. @throws MediaError where it is gone */
export async function readTable(config: Config, { id, name }: InputTable): Promise<ColourTable> {
  const bytes = await readFile(tablePath(config, id)).catch(() => null)
  if (bytes?.length !== TABLE_BYTES) throw new MediaError(`the table ${name} is missing; read its .cube file again in Balance`)
  return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + TABLE_BYTES))
}
