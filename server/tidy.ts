/** Tasks of worker threads that have something to tidy up when they are ended: they are asked to end, all others end with their thread. */
const TIDY = ['film', 'loudness', 'prepare', 'steady'] as const
type Tidy = (typeof TIDY)[number]

export const tidiesUp = <T extends { readonly kind: string }>(task: T): task is Extract<T, { readonly kind: Tidy }> =>
  (TIDY as readonly string[]).includes(task.kind)
