/** A name nobody else has taken. */
export function newId(): string {
  return crypto.randomUUID()
}
