/** So long it waits at most where no pictures are drawn, as in a page that is hidden, ms. */
const AT_MOST = 100
/** What a hand does next acts on what is done by then, and who leaves takes nothing along. */
const NEXT = ['keydown', 'pointerdown', 'pagehide'] as const

/**
 * Work that follows a press and may come a moment later than its picture: the page is drawn anew for longer than a picture lasts,
 * and what is done first holds the picture up. It is done in order, behind the second refresh of the page, and before the next key.
 */
export class AfterPicture {
  private waiting: (() => void)[] = []

  /** @param refreshes of the page that it waits for: what is only copied is seen at the second, what is made anew a little later */
  constructor(private readonly refreshes = 2) {}

  add(act: () => void): void {
    this.waiting.push(act)
    if (this.waiting.length > 1) return
    this.behind(this.refreshes)
    setTimeout(this.now, AT_MOST)
    for (const type of NEXT) window.addEventListener(type, this.now, true)
  }

  private behind(refreshes: number): void {
    requestAnimationFrame(() => (refreshes > 1 ? this.behind(refreshes - 1) : setTimeout(this.now)))
  }

  get waits(): boolean {
    return this.waiting.length > 0
  }

  readonly now = (): void => {
    for (const type of NEXT) window.removeEventListener(type, this.now, true)
    const acts = this.waiting
    this.waiting = []
    for (const act of acts) act()
  }
}
