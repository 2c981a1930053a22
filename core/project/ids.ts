/** Ids are kept as keys of plain objects, so they must not be names that every object has. */
const LONGEST = 64

/**
 * Whether a text can be an id of anything in a project: 1 to 64 characters, no control characters, and no name that
 * plain objects come with (`__proto__`, `constructor`, …).
 */
export function isId(text: unknown): text is string {
  return typeof text === 'string' && text.length > 0 && text.length <= LONGEST && !/\p{Cc}/u.test(text) && !(text in Object.prototype)
}

/** The entry of a record under an id that is its own; never what all objects have. */
export function own<T>(record: Readonly<Record<string, T>>, id: string): T | undefined {
  return Object.hasOwn(record, id) ? record[id] : undefined
}
