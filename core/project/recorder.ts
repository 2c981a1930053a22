import { type Patch, produceWithPatches } from 'immer'
import type { ProjectDoc } from './types.ts'

type Container = Record<string | number, unknown>
type Path = readonly (string | number)[]

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

  /** Gives an entry of a record (or a field) a value. */
  set(path: Path, value: unknown): void {
    const container = this.#reach(path)
    const key = path[path.length - 1]
    const had = Object.hasOwn(container, key) && container[key] !== undefined
    if (had && container[key] === value) return
    this.forward.push({ op: had ? 'replace' : 'add', path: [...path], value })
    this.#backward.push(had ? { op: 'replace', path: [...path], value: container[key] } : { op: 'remove', path: [...path] })
    container[key] = value
  }

  /** Takes an entry out of a record; one that is not there is no change. */
  remove(path: Path): void {
    const container = this.#reach(path)
    const key = path[path.length - 1]
    if (!Object.hasOwn(container, key)) return
    this.forward.push({ op: 'remove', path: [...path] })
    this.#backward.push({ op: 'add', path: [...path], value: container[key] })
    delete container[key]
  }

  /** Changes small parts by a draft. Records that grow are not to be touched in it. */
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
    const copy = (Array.isArray(container) ? [...container] : { ...container }) as T
    this.#own.add(copy)
    return copy
  }
}

/**
 * Applies kept patches in their order, by copies. Entries of lists are inserted and taken out by their place, and a
 * patch of `length` shortens a list.
 * @throws TypeError when a patch leads through what is not there
 */
export function applyPatches(doc: ProjectDoc, patches: readonly Patch[]): ProjectDoc {
  const own = new Set<object>()
  const owned = <T>(container: T): T => {
    if (typeof container !== 'object' || container === null) throw new TypeError('a patch leads to what is not there')
    if (own.has(container)) return container
    const copy = (Array.isArray(container) ? [...container] : { ...container }) as T & object
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
    if (Array.isArray(at) && key !== 'length') {
      if (op === 'add') at.splice(Number(key), 0, value)
      else if (op === 'remove') at.splice(Number(key), 1)
      else at[Number(key)] = value
    } else if (op === 'remove') delete at[key]
    else at[key] = value
  }
  return root as ProjectDoc
}
