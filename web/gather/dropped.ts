/** Files of a drop with the folders they came in, read through the entries API (folders are not files to the plain list). */
export async function droppedFiles(transfer: DataTransfer): Promise<{ file: File; name: string }[]> {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry()).filter((e): e is FileSystemEntry => e !== null)
  if (entries.length === 0) return [...transfer.files].map((file) => ({ file, name: file.name }))
  const out: { file: File; name: string }[] = []
  for (const entry of entries) await collect(entry, out)
  return out
}

async function collect(entry: FileSystemEntry, out: { file: File; name: string }[]): Promise<void> {
  if (entry.name.startsWith('.')) return
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject))
    out.push({ file, name: entry.fullPath.replace(/^\//, '') })
    return
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  for (;;) {
    // A reader hands out at most a hundred at a time.
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject))
    if (some.length === 0) return
    for (const child of some) await collect(child, out)
  }
}
