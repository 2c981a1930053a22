/** Scopes by name, as they stand from left to right. */
export const SCOPES = ['brightness', 'colours', 'histogram', 'exposure'] as const
export type ScopeName = (typeof SCOPES)[number]

export type ToScopes =
  | { readonly type: 'canvas'; readonly name: ScopeName; readonly canvas: OffscreenCanvas }
  | { readonly type: 'picture'; readonly picture: ImageBitmap }
