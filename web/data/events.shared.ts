// One stream of events for all pages of this browser: browsers open only six connections to a server at once, and a
// stream in each page would leave none for anything else from the seventh page on.

const pages = new Set<MessagePort>()
let source: EventSource | null = null

function tell(message: unknown): void {
  for (const page of pages) page.postMessage(message)
}

/** How soon a stream that was refused is asked for again, ms; one that broke comes back by itself. */
const AGAIN = 2000

function listen(): void {
  const stream = new EventSource('/api/events')
  source = stream
  stream.onopen = () => tell({ open: true })
  stream.onmessage = ({ data }: MessageEvent<string>) => tell({ data })
  stream.onerror = () => {
    if (stream.readyState !== EventSource.CLOSED) return
    stream.close()
    setTimeout(listen, AGAIN)
  }
}

const scope = self as unknown as { onconnect: (event: MessageEvent) => void }
scope.onconnect = ({ ports: [page] }) => {
  pages.add(page)
  page.onmessage = ({ data }: MessageEvent<string>) => {
    if (data === 'bye') pages.delete(page)
  }
  if (!source) listen()
  // What happened before this page listened nobody told it.
  else if (source.readyState === EventSource.OPEN) page.postMessage({ open: true })
}
