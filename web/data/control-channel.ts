/** What a control page shows of the stage. */
export interface ControlState {
  readonly type: 'state'
  readonly project: string
  readonly angles: readonly { readonly id: string; readonly key: string; readonly name: string; readonly hue: number }[]
  readonly chosen: string | null
  readonly waiting: string | null
  readonly playing: boolean
  /** What became of the last press, in words. */
  readonly last: string | null
}

/** What pages of one browser that show the same project say to each other: the stage how it stands, control pages what is pressed. */
export type ControlMessage =
  | ControlState
  | { readonly type: 'hello' }
  /** `at` is when it was pressed, ms since the epoch. */
  | { readonly type: 'press'; readonly angleId: string; readonly at: number }
  | { readonly type: 'play' }
  | { readonly type: 'gone' }

export function controlChannel(projectId: string): BroadcastChannel {
  return new BroadcastChannel(`pendolo-control-${projectId}`)
}

/** Now, ms since the epoch, as exact as the page's clock. */
export const exactNow = (): number => performance.timeOrigin + performance.now()
