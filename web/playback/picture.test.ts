import type { VideoSample } from 'mediabunny'
import { asPlanes, drawPlaced, drawRoughly, withoutGraphics } from './picture.ts'

beforeAll(() => {
  Object.assign(globalThis, {
    ImageData: class {
      readonly data: Uint8ClampedArray
      constructor(
        readonly width: number,
        readonly height: number,
      ) {
        this.data = new Uint8ClampedArray(4 * width * height)
      }
    },
  })
})

/** A picture of 4 × 2, white on its left half, black on its right. */
function sample(over: Partial<Record<keyof VideoSample, unknown>> = {}) {
  let closed = 0
  const data = Uint8Array.from([235, 235, 16, 16, 235, 235, 16, 16, 128, 128, 128, 128])
  const of = {
    format: 'I420',
    rotation: 0,
    timestamp: 3,
    displayWidth: 4,
    displayHeight: 2,
    visibleRect: { left: 0, top: 0, width: 4, height: 2 },
    colorSpace: { matrix: 'bt709', fullRange: false },
    allocationSize: () => data.length,
    copyTo: async (to: Uint8Array) => void to.set(data),
    close: () => closed++,
    ...over,
  }
  return { of: of as unknown as VideoSample, closed: () => closed }
}

/** What is put on a canvas: where, and the red of its pixels. */
function canvas() {
  const put: { x: number; y: number; width: number; red: number[] }[] = []
  const ctx = {
    putImageData: (image: ImageData, x: number, y: number) => put.push({ x, y, width: image.width, red: Array.from(image.data.filter((_, i) => i % 4 === 0)) }),
  }
  return { put, ctx: ctx as unknown as OffscreenCanvasRenderingContext2D }
}

test('a picture is taken out of its decoder, which gets its memory back, and drawn where it belongs', async () => {
  const { of, closed } = sample()
  const picture = await asPlanes(of)
  expect(closed()).toBe(1)
  expect(picture).toMatchObject({ timestamp: 3, displayWidth: 4, displayHeight: 2 })
  const { put, ctx } = canvas()
  picture.draw(ctx, 0, 0, 4, 2, 10.4, 20.3, 4, 2)
  expect(put[0]).toEqual({ x: 10, y: 20, width: 4, red: [255, 255, 0, 0, 255, 255, 0, 0] })
  // Its right half alone, as high as it is wide; edges fall on whole pixels.
  picture.draw(ctx, 2, 0, 2, 2, 5.5, 0, 3.1, 1)
  expect(put[1]).toEqual({ x: 6, y: 0, width: 3, red: [0, 0, 0] })
})

test('a picture is mirrored and moved within its place, black beside it; its colours alone go through a table', async () => {
  const picture = await asPlanes(sample().of)
  const { put, ctx } = canvas()
  const by = { map: [-1, 0, 0, 1, 14, 20] as const, kept: { x: 0, y: 0, width: 4, height: 2 }, place: { x: 8, y: 20, width: 6, height: 2 } }
  drawPlaced(ctx, picture, by, null)
  expect(put[0]).toMatchObject({ x: 8, y: 20, width: 6 })
  expect(put[0].red.slice(0, 6)).toEqual([0, 0, 0, 0, 255, 255])
  drawPlaced(ctx, picture, by, new Float32Array(33 ** 3 * 3).fill(0.2))
  expect(put[1].red.slice(0, 6)).toEqual([0, 0, 51, 51, 51, 51])
})

test('in half the detail a quarter of the pixels are made and drawn as large as the others, moved ones too', async () => {
  const picture = await asPlanes(sample().of)
  const halves: ReturnType<typeof canvas>['put'] = []
  Object.assign(globalThis, {
    OffscreenCanvas: class {
      constructor(
        readonly width: number,
        readonly height: number,
      ) {}
      getContext = () => ({
        canvas: this,
        putImageData: (image: ImageData) => halves.push({ x: 0, y: 0, width: image.width, red: Array.from(image.data.filter((_, i) => i % 4 === 0)) }),
      })
    },
  })
  const drawn: unknown[][] = []
  const ctx = { drawImage: (from: { width: number }, ...of: number[]) => drawn.push([from.width, ...of]) } as unknown as OffscreenCanvasRenderingContext2D
  drawRoughly(true)
  try {
    picture.draw(ctx, 0, 0, 4, 2, 10, 20, 5, 2)
    expect(drawn[0]).toEqual([3, 10, 20, 5, 2])
    expect(halves[0]).toMatchObject({ width: 3, red: [255, expect.any(Number), 0] })
    // Twice as large and two to the right: as wide as the place.
    picture.drawPlaced?.(ctx, { map: [2, 0, 0, 2, 10, 20], kept: { x: 0, y: 0, width: 4, height: 2 }, place: { x: 8, y: 20, width: 10, height: 4 } }, null)
    expect(drawn[1]).toEqual([5, 8, 20, 10, 4])
    expect(halves[1].red.slice(0, 5)).toEqual([0, 255, 255, 0, 0])
  } finally {
    drawRoughly(false)
  }
})

test('where the browser draws, it is told the same map and place', () => {
  const said: [string, ...unknown[]][] = []
  const ctx = new Proxy({} as Record<string, unknown>, {
    get:
      (_, name) =>
      (...of: unknown[]) =>
        void said.push([String(name), ...of]),
    set: () => true,
  })
  const picture = {
    timestamp: 0,
    displayWidth: 4,
    displayHeight: 2,
    close: () => undefined,
    draw: (_: unknown, ...of: number[]) => void said.push(['draw', ...of]),
  }
  const by = { map: [0, 2, -2, 0, 9, 9] as const, kept: { x: 1, y: 0, width: 3, height: 2 }, place: { x: 3, y: 4, width: 8, height: 6 } }
  drawPlaced(ctx as unknown as OffscreenCanvasRenderingContext2D, picture, by, null)
  expect(said).toEqual([
    ['save'],
    ['beginPath'],
    ['rect', 3, 4, 8, 6],
    ['clip'],
    ['fillRect', 3, 4, 8, 6],
    ['setTransform', 0, 2, -2, 0, 9, 9],
    ['draw', 1, 0, 3, 2, 1, 0, 3, 2],
    ['restore'],
  ])
})

test('what cannot be taken apart is left to the browser', async () => {
  for (const over of [{ format: 'NV12' }, { format: null }, { rotation: 90 }, { displayWidth: 8 }, { visibleRect: { left: 0, top: 0, width: 4, height: 4 } }]) {
    const { of, closed } = sample(over)
    expect(await asPlanes(of)).toBe(of)
    expect(closed()).toBe(0)
  }
})

test('an untagged picture is of the old matrix where it is small, as everywhere here', async () => {
  const reddish = Uint8Array.from([...Array(8).fill(100), 128, 128, 200, 200])
  const tagged = { copyTo: async (to: Uint8Array) => void to.set(reddish) }
  const { put, ctx } = canvas()
  for (const colorSpace of [{ matrix: null }, { matrix: 'smpte170m' }, { matrix: 'bt709' }]) {
    const picture = await asPlanes(sample({ ...tagged, colorSpace }).of)
    picture.draw(ctx, 0, 0, 4, 2, 0, 0, 4, 2)
  }
  expect(put.map((p) => p.red[0])).toEqual([213, 213, 227])
})

test.each([
  ['ANGLE (Google, Vulkan 1.3.0 (SwiftShader Device (Subzero) (0x0000C0DE)), SwiftShader driver)', true],
  ['llvmpipe (LLVM 15.0.6, 256 bits)', true],
  ['Microsoft Basic Render Driver', true],
  ['Mesa Intel(R) UHD Graphics 620 (KBL GT2)', false],
  [null, true],
])('whether there is a graphics card: %s', (name, without) => {
  const gl = {
    RENDERER: 1,
    getParameter: () => name,
    getExtension: (id: string) => (id === 'WEBGL_debug_renderer_info' ? { UNMASKED_RENDERER_WEBGL: 2 } : null),
  }
  Object.assign(globalThis, {
    OffscreenCanvas: class {
      getContext = () => (name === null ? null : gl)
    },
  })
  expect(withoutGraphics()).toBe(without)
})
