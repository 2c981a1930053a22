/** What undo takes back first while something is going on that has parts of its own; null when there is nothing. */
let inner: (() => boolean) | null = null

/** Lets undo ask here first. `take` says whether it took something back. @returns a function that ends it */
export function undoFirst(take: () => boolean): () => void {
  inner = take
  return () => {
    if (inner === take) inner = null
  }
}

/** Takes back a part of what is going on. @returns false when nothing is */
export function undoInside(): boolean {
  return inner?.() ?? false
}
