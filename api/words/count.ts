/** A number of things as words: "1 clip", "3 clips". */
export const counted = (n: number, one: string): string => `${n} ${one}${n === 1 ? '' : 's'}`
