const PIECE = 1 << 20
const KEY_LETTERS = 32

/**
 * Name of a file's content: a digest of its size and of a mebibyte at its start, middle and end. Reading hours of
 * material whole would take as long as copying it; camera files that agree in all this are the same recording.
 * @param read gives bytes from a place on, fewer at the file's end
 * @param sha256 digest of some bytes (FIPS 180-4)
 */
export async function contentKeyOf(
  size: number,
  read: (at: number, length: number) => Promise<Uint8Array>,
  sha256: (bytes: Uint8Array<ArrayBuffer>) => Promise<ArrayBuffer>,
): Promise<string> {
  const places: [at: number, length: number][] =
    size <= 3 * PIECE
      ? [[0, size]]
      : [
          [0, PIECE],
          [Math.floor(size / 2), PIECE],
          [size - PIECE, PIECE],
        ]
  const pieces: Uint8Array[] = [Uint8Array.from(`pendolo-1:${size}:`, (letter) => letter.charCodeAt(0))]
  for (const [at, length] of places) pieces.push(await read(at, length))
  const all = new Uint8Array(pieces.reduce((sum, p) => sum + p.length, 0))
  let end = 0
  for (const piece of pieces) {
    all.set(piece, end)
    end += piece.length
  }
  const digest = new Uint8Array(await sha256(all))
  return Array.from(digest, (byte) => byte.toString(16).padStart(2, '0'))
    .join('')
    .slice(0, KEY_LETTERS)
}
