import type { SampleForm, Taken } from '../media/sound-clock.ts'

const BYTES: Record<SampleForm, number> = { s16: 2, s24: 3, s32: 4, f32: 4 }

/** Of how much more than is held at once there is room: what is held is moved to the front that much more seldom. */
const ROOM = 4

/** Frames of which all channels are taken out before the next: they stay nearest to the processor meanwhile. */
const TILE = 64

/** Some frames as bytes: where the first begins, and how many channels lie beside each other. */
interface Frames {
  readonly bytes: Uint8Array
  readonly first: number
  readonly width: number
}

/** Takes a channel out of frames, from the nth one on, to the same place of an array. */
type Reader = (frames: Frames, channel: number, n: number, count: number, out: Float32Array) => void

const READERS: Record<SampleForm, Reader> = {
  s16: ({ bytes, first, width }, channel, n, count, out) => {
    const apart = 2 * width
    for (let k = 0, i = first + n * apart + 2 * channel; k < count; k++, i += apart) out[n + k] = ((bytes[i] << 16) | (bytes[i + 1] << 24)) * 2 ** -31
  },
  s24: ({ bytes, first, width }, channel, n, count, out) => {
    const apart = 3 * width
    for (let k = 0, i = first + n * apart + 3 * channel; k < count; k++, i += apart)
      out[n + k] = ((bytes[i] << 8) | (bytes[i + 1] << 16) | (bytes[i + 2] << 24)) * 2 ** -31
  },
  s32: ({ bytes, first, width }, channel, n, count, out) => {
    const samples = new Int32Array(bytes.buffer, bytes.byteOffset, bytes.length >> 2)
    for (let k = 0, i = (first >> 2) + n * width + channel; k < count; k++, i += width) out[n + k] = samples[i] * 2 ** -31
  },
  f32: ({ bytes, first, width }, channel, n, count, out) => {
    const samples = new Float32Array(bytes.buffer, bytes.byteOffset, bytes.length >> 2)
    for (let k = 0, i = (first >> 2) + n * width + channel; k < count; k++, i += width) out[n + k] = samples[i]
  },
}

/** Four neighbours of 24 bits are three words: taken out together they cost a third. */
function readFour({ bytes, first, width }: Frames, channel: number, n: number, count: number, planes: readonly Float32Array[], c: number): void {
  const words = new Int32Array(bytes.buffer, bytes.byteOffset, bytes.length >> 2)
  const apart = (3 * width) >> 2
  const one = planes[c]
  const two = planes[c + 1]
  const three = planes[c + 2]
  const four = planes[c + 3]
  for (let k = n, i = (first >> 2) + n * apart + ((3 * channel) >> 2); k < n + count; k++, i += apart) {
    const x = words[i]
    const y = words[i + 1]
    const z = words[i + 2]
    one[k] = (x << 8) * 2 ** -31
    two[k] = (((x >>> 16) & 0xff00) | (y << 16)) * 2 ** -31
    three[k] = (((y >>> 8) & 0xffff00) | (z << 24)) * 2 ** -31
    four[k] = (z & ~0xff) * 2 ** -31
  }
}

/** Frames of a decoder as they come: what comes is put behind, what is old is let go, and channels are taken out where they are wanted. */
export class HeldSound {
  /** Clip frame of the first held one. */
  from = 0
  /** Where it begins, and where the next that comes is put; what is no whole frame yet waits there for its rest. */
  #first = 0
  #behind = 0
  #bytes = new Uint8Array(0)
  /** Which channels of what comes are wanted. */
  readonly #columns: readonly number[]
  readonly #width: number
  readonly #form: SampleForm
  /** Numbers of the wanted ones from which four lie in whole words. */
  readonly #fours: ReadonlySet<number>
  #planes: Float32Array[] = []

  constructor({ columns, width, form }: Pick<Taken, 'columns' | 'width' | 'form'>) {
    this.#columns = columns
    this.#width = width
    this.#form = form
    const four = (c: number) => form === 's24' && width % 4 === 0 && columns[c] % 4 === 0 && [1, 2, 3].every((k) => columns[c + k] === columns[c] + k)
    this.#fours = new Set([...columns.keys()].filter(four))
  }

  get #frameBytes(): number {
    return this.#width * BYTES[this.#form]
  }

  /** Behind the last held frame. */
  get end(): number {
    return this.from + Math.floor((this.#behind - this.#first) / this.#frameBytes)
  }

  /** Holds nothing, and goes on from a frame. */
  begin(from: number): void {
    this.from = from
    this.#first = 0
    this.#behind = 0
  }

  /** @param bytes all channels of a frame beside each other; it may begin and end within one */
  append(bytes: Uint8Array): void {
    const held = this.#bytes.subarray(this.#first, this.#behind)
    if (this.#behind + bytes.length > this.#bytes.length) {
      const wanted = held.length + bytes.length
      if (2 * wanted > this.#bytes.length) this.#bytes = new Uint8Array(ROOM * wanted)
      this.#bytes.set(held)
      this.#first = 0
      this.#behind = held.length
    }
    this.#bytes.set(bytes, this.#behind)
    this.#behind += bytes.length
  }

  /** Lets go what lies before a frame. */
  drop(before: number): void {
    const gone = Math.min(this.end, before) - this.from
    if (gone <= 0) return
    this.#first += gone * this.#frameBytes
    this.from += gone
  }

  /**
   * Frames of all wanted channels, as they are until this is asked again; null where not all of them are held.
   * @param from clip frame
   */
  view(from: number, count: number): readonly Float32Array[] | null {
    if (from < this.from || from + count > this.end) return null
    if (this.#planes[0]?.length !== count) {
      const room = this.#planes[0] && this.#planes[0].buffer.byteLength >= 4 * count
      this.#planes = this.#columns.map((_, c) => (room ? new Float32Array(this.#planes[c].buffer, 0, count) : new Float32Array(count)))
    }
    const read = READERS[this.#form]
    const frames = { bytes: this.#bytes, first: this.#first + (from - this.from) * this.#frameBytes, width: this.#width }
    for (let n = 0; n < count; n += TILE) {
      const most = Math.min(TILE, count - n)
      for (let c = 0; c < this.#columns.length; c++) {
        if (this.#fours.has(c)) {
          readFour(frames, this.#columns[c], n, most, this.#planes, c)
          c += 3
        } else read(frames, this.#columns[c], n, most, this.#planes[c])
      }
    }
    return this.#planes
  }
}
