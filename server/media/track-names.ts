import { open } from 'node:fs/promises'
import { XMLParser } from 'fast-xml-parser'
import { chunksOf } from './wave-chunks.ts'

/** Bytes that are read of a chunk, and characters of a name. */
const MOST_BYTES = 2 ** 20
const MOST_CHARACTERS = 120
/** Where what follows the fixed part of a description of tracks begins (EBU Tech 3285): the description itself. */
const DESCRIPTION_BYTES = 256

/**
 * What a recorder called the tracks of a wave file: in its iXML chunk (the open iXML specification, TRACK_LIST), else in the
 * lines "sTRK1=NAME" of its description (bext, EBU Tech 3285), as many recorders write them.
 * @returns by channel, null where one has no name; null where none has, or the file is none of these
 */
export async function trackNames(file: string, channels: number): Promise<(string | null)[] | null> {
  const handle = await open(file, 'r')
  try {
    let told: Map<number, string> | null = null
    for await (const { id, at, length } of chunksOf(handle)) {
      if (id !== 'iXML' && id !== 'bext') continue
      const bytes = Buffer.alloc(Math.min(length, id === 'bext' ? DESCRIPTION_BYTES : MOST_BYTES))
      await handle.read(bytes, 0, bytes.length, at)
      const names = id === 'iXML' ? fromXml(bytes.toString('utf8')) : fromDescription(bytes.toString('latin1'))
      if (names.size > 0 && (id === 'iXML' || !told)) told = names
    }
    if (!told) return null
    const names = told
    const list = Array.from({ length: channels }, (_, i) => names.get(i + 1) ?? null)
    return list.some((n) => n !== null) ? list : null
  } finally {
    await handle.close()
  }
}

const named = (name: unknown): string =>
  String(name ?? '')
    .replace(/\p{Cc}/gu, '')
    .trim()
    .slice(0, MOST_CHARACTERS)

function fromXml(text: string): Map<number, string> {
  const names = new Map<number, string>()
  try {
    const { BWFXML } = new XMLParser({ parseTagValue: false, processEntities: false }).parse(text.replace(/\0+$/, '')) as {
      BWFXML?: { TRACK_LIST?: { TRACK?: Track | Track[] } }
    }
    for (const [i, track] of [BWFXML?.TRACK_LIST?.TRACK ?? []].flat().entries()) {
      // Where it lies in this file, which is not the number of its input.
      const at = Number(track.INTERLEAVE_INDEX ?? i + 1)
      if (Number.isInteger(at) && at > 0 && named(track.NAME)) names.set(at, named(track.NAME))
    }
  } catch {
    // What a recorder wrote and nobody can read names nothing.
  }
  return names
}

interface Track {
  readonly INTERLEAVE_INDEX?: string
  readonly NAME?: string
}

function fromDescription(text: string): Map<number, string> {
  const found = [...text.matchAll(/[a-z]TRK(\d{1,3})=([^\r\n\0]*)/g)]
  return new Map(found.flatMap(([, number, name]) => (named(name) ? [[Number(number), named(name)] as const] : [])))
}
