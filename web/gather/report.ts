/** A file that was found and not added, with the reason. */
export interface LeftOut {
  readonly name: string
  readonly why: string
}

/** What came of gathering files. */
export interface Report {
  readonly added: number
  readonly again: readonly string[]
  readonly known: readonly string[]
  readonly refused: readonly LeftOut[]
  readonly leftOut: readonly LeftOut[]
}
