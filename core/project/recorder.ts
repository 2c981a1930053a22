import { type Patch, produceWithPatches } from 'immer'
import { copyOfList, keyedAt, putEntry, takeEntry } from './keyed.ts'
import type { ProjectDoc } from './types.ts'

type Container = Record<string | number, unknown>
type Path = readonly (string | number)[]

const copied = <T extends object>(container: T): T => (Array.isArray(container) ? copyOfList(container) : { ...container }) as T

function entryAt(container: Container, path: Path): unknown {
  const key = path[path.length - 1]
  const keyed = keyedAt(path.slice(0, -1), container)
  if (keyed) return keyed.find(container as unknown as unknown[], String(key))
  return Object.hasOwn(container, key) ? container[key] : undefined
}

function putAt(container: Container, path: Path, value: unknown): void {
  const keyed = keyedAt(path.slice(0, -1), container)
  if (keyed) putEntry(keyed, container as unknown as unknown[], value)
  else container[path[path.length - 1]] = value
}

function takeFrom(container: Container, path: Path): void {
  const key = path[path.length - 1]
  const keyed = keyedAt(path.slice(0, -1), container)
  if (keyed) takeEntry(keyed, container as unknown as unknown[], String(key))
  else delete container[key]
}

/**
 * Changes a document by copies and writes down how: the document given stays as it was, and each record or list is copied
 * at most once, however many of its entries change. So a change costs what it changes, which drafts of records with
 * thousands of entries do not.
 */
export class Recorder {
  #doc: ProjectDoc
  readonly #own = new Set<object>()
  readonly forward: Patch[] = []
  /** In the order of {@link forward}; undone from the last to the first. */
  readonly #backward: Patch[] = []

  constructor(doc: ProjectDoc) {
    this.#doc = doc
  }

  /** The document with all changes so far. */
  get doc(): ProjectDoc {
    return this.#doc
  }

  /** Patches that lead back, in the order in which they are to be applied. */
  get backward(): Patch[] {
    return [...this.#backward].reverse()
  }

  /** Gives an entry of a record or of a list with keys (or a field) a value. */
  set(path: Path, value: unknown): void {
    const container = this.#reach(path)
    const before = entryAt(container, path)
    if (before !== undefined && before === value) return
    this.forward.push({ op: before !== undefined ? 'replace' : 'add', path: [...path], value })
    this.#backward.push(before !== undefined ? { op: 'replace', path: [...path], value: before } : { op: 'remove', path: [...path] })
    putAt(container, path, value)
  }

  /** Takes an entry out; one that is not there is no change. */
  remove(path: Path): void {
    const container = this.#reach(path)
    const before = entryAt(container, path)
    if (before === undefined) return
    this.forward.push({ op: 'remove', path: [...path] })
    this.#backward.push({ op: 'add', path: [...path], value: before })
    takeFrom(container, path)
  }

  /** Changes small parts by a draft. Lists and records that grow are not to be touched in it. */
  draft(change: (doc: ProjectDoc) => void): void {
    const [next, forward, backward] = produceWithPatches(this.#doc, (draft) => change(draft as ProjectDoc))
    this.#doc = next
    this.forward.push(...forward)
    this.#backward.push(...[...backward].reverse())
  }

  /** The container that holds the last part of a path, copied with all above it unless that was done already. */
  #reach(path: Path): Container {
    this.#doc = this.#owned(this.#doc)
    let at = this.#doc as unknown as Container
    for (const key of path.slice(0, -1)) {
      const below = this.#owned(at[key] as object)
      at[key] = below
      at = below as Container
    }
    return at
  }

  #owned<T extends object>(container: T): T {
    if (this.#own.has(container)) return container
    const copy = copied(container)
    this.#own.add(copy)
    return copy
  }
}

/**
 * Applies kept patches in their order, by copies. Entries of lists are inserted and taken out by their place where it is a
 * number, else by their key, and a patch of `length` shortens a list.
 * @throws TypeError when a patch leads through what is not there
 */
export function applyPatches(doc: ProjectDoc, patches: readonly Patch[]): ProjectDoc {
  const own = new Set<object>()
  const owned = <T>(container: T): T => {
    if (typeof container !== 'object' || container === null) throw new TypeError('a patch leads to what is not there')
    if (own.has(container)) return container
    const copy = copied(container)
    own.add(copy)
    return copy
  }
  let root: unknown = doc
  for (const { op, path, value } of patches) {
    if (path.length === 0) {
      root = value
      continue
    }
    root = owned(root)
    let at = root as Container
    for (const key of path.slice(0, -1)) {
      at[key] = owned(Object.hasOwn(at, key) ? at[key] : undefined)
      at = at[key] as Container
    }
    const key = path[path.length - 1]
    if (Array.isArray(at) && typeof key === 'number') {
      if (op === 'add') at.splice(key, 0, value)
      else if (op === 'remove') at.splice(key, 1)
      else at[key] = value
    } else if (Array.isArray(at) && key === 'length' && typeof value === 'number') at.length = value
    else if (op === 'remove') takeFrom(at, path)
    else putAt(at, path, value)
  }
  return root as ProjectDoc
}
