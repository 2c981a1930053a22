/** Bytes as words: "1.2 GB", "18.4 MB". */
export const sizeText = (bytes: number): string => (bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.max(0.1, bytes / 1e6).toFixed(1)} MB`)

/** A number of things as words: "1 clip", "3 clips". */
export const counted = (n: number, one: string): string => `${n} ${one}${n === 1 ? '' : 's'}`
