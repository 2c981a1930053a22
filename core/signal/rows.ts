/** Rows of numbers that grow with a recording whose length is not known yet. */
export class GrowingRows<T extends Float32Array | Uint8Array> {
  values: T
  readonly #width: number
  readonly #make: (length: number) => T

  /** @param width numbers a row */
  constructor(width: number, make: (length: number) => T) {
    this.#width = width
    this.#make = make
    this.values = make(width * 4096)
  }

  /** Index in `values` where a row begins; makes room for it. */
  at(row: number): number {
    const from = row * this.#width
    if (from + this.#width > this.values.length) {
      const rows = Math.max(row + 1, Math.ceil(this.values.length / this.#width / 2) * 3)
      const more = this.#make(rows * this.#width)
      more.set(this.values)
      this.values = more
    }
    return from
  }

  /** A copy of the first `rows` rows. */
  cut(rows: number): T {
    this.at(Math.max(0, rows - 1))
    return this.values.slice(0, rows * this.#width) as T
  }
}
