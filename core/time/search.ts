/**
 * Index of the first of ascending values that is not below a limit; their number when all are below.
 * @param at value of an index, ascending with it
 */
export function firstFrom(count: number, at: (index: number) => number, limit: number): number {
  let low = 0
  let high = count
  while (low < high) {
    const middle = (low + high) >> 1
    if (at(middle) < limit) low = middle + 1
    else high = middle
  }
  return low
}

/** Index of the last of ascending values that is not above a limit; −1 when all are above. */
export function lastUpTo(count: number, at: (index: number) => number, limit: number): number {
  let low = 0
  let high = count
  while (low < high) {
    const middle = (low + high) >> 1
    if (at(middle) <= limit) low = middle + 1
    else high = middle
  }
  return low - 1
}
