/** Whose steps these are: kept in this browser, so that undo takes back one's own, after a restart too. */
const KEY = 'pendolo.author'

function named(): string {
  try {
    const kept = localStorage.getItem(KEY)
    if (kept) return kept
    const made = crypto.randomUUID()
    localStorage.setItem(KEY, made)
    return made
  } catch {
    // A browser that keeps nothing is somebody as long as the page is open.
    return crypto.randomUUID()
  }
}

export const author: string = named()
