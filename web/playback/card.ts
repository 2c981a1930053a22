import { type Affine, type ColourTable, inverse, type Rect, TABLE_SIZE } from '@pendolo/core/picture'
import type { VideoSample } from 'mediabunny'
import { drawPicture, drawPlaced, type Picture } from './picture.ts'

const CORNERS = `#version 300 es
void main() { gl_Position = vec4(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0, 0.0, 1.0); }`

/** Tetrahedra between the steps of the table, as `throughTable` of core has it. */
const COLOURS = `#version 300 es
precision highp float;
precision highp sampler3D;
uniform sampler2D picture;
uniform sampler3D colours;
uniform vec4 turned;
uniform vec2 moved;
uniform vec2 size;
uniform vec4 kept;
uniform float tall;
out vec4 seen;
vec3 at(ivec3 step) { return texelFetch(colours, step, 0).rgb; }
void main() {
  vec2 here = vec2(gl_FragCoord.x, tall - gl_FragCoord.y);
  vec2 from = vec2(dot(turned.xz, here), dot(turned.yw, here)) + moved;
  if (any(lessThan(from, kept.xy)) || any(greaterThanEqual(from, kept.zw))) { seen = vec4(0.0, 0.0, 0.0, 1.0); return; }
  vec3 place = clamp(texture(picture, from / size).rgb, 0.0, 1.0) * ${TABLE_SIZE - 1}.0;
  ivec3 zero = min(ivec3(place), ivec3(${TABLE_SIZE - 2}));
  vec3 f = place - vec3(zero);
  ivec3 one = ivec3(1, 0, 0);
  ivec3 two = ivec3(1, 1, 0);
  vec3 s = f;
  if (f.r >= f.g) {
    if (f.g < f.b) {
      two = ivec3(1, 0, 1);
      if (f.r >= f.b) s = f.rbg; else { one = ivec3(0, 0, 1); s = f.brg; }
    }
  } else if (f.b >= f.g) { one = ivec3(0, 0, 1); two = ivec3(0, 1, 1); s = f.bgr; }
  else if (f.b >= f.r) { one = ivec3(0, 1, 0); two = ivec3(0, 1, 1); s = f.gbr; }
  else { one = ivec3(0, 1, 0); s = f.grb; }
  seen = vec4((1.0 - s.x) * at(zero) + (s.x - s.y) * at(zero + one) + (s.y - s.z) * at(zero + two) + s.z * at(zero + 1), 1.0);
}`

/** Colour tables that the card keeps. */
const MOST_TABLES = 64

/** Draws pictures through colour tables on the graphics card, in one context for all that is drawn. */
class Card {
  readonly #canvas = new OffscreenCanvas(1, 1)
  readonly #gl: WebGL2RenderingContext
  readonly #program: WebGLProgram
  readonly #tables = new Map<ColourTable, WebGLTexture>()
  readonly #uniforms = new Map<string, WebGLUniformLocation | null>()

  private constructor(gl: (canvas: OffscreenCanvas) => WebGL2RenderingContext | null) {
    const own = gl(this.#canvas)
    if (!own) throw new Error('there is no graphics card')
    this.#gl = own
    this.#program = programOf(own)
    // biome-ignore lint/correctness/useHookAtTopLevel: WebGL calls it so, it is none of React's
    own.useProgram(this.#program)
    own.activeTexture(own.TEXTURE0)
    own.bindTexture(own.TEXTURE_2D, own.createTexture())
    for (const [name, value] of [
      [own.TEXTURE_MIN_FILTER, own.LINEAR],
      [own.TEXTURE_MAG_FILTER, own.LINEAR],
      [own.TEXTURE_WRAP_S, own.CLAMP_TO_EDGE],
      [own.TEXTURE_WRAP_T, own.CLAMP_TO_EDGE],
    ])
      own.texParameteri(own.TEXTURE_2D, name, value)
    own.uniform1i(this.#of('picture'), 0)
    own.uniform1i(this.#of('colours'), 1)
  }

  /** null where the browser gives none. */
  static open(): Card | null {
    try {
      return new Card((canvas) => canvas.getContext('webgl2', { alpha: false, antialias: false, depth: false }))
    } catch {
      return null
    }
  }

  #of(name: string): WebGLUniformLocation | null {
    let place = this.#uniforms.get(name)
    if (place === undefined) {
      place = this.#gl.getUniformLocation(this.#program, name)
      this.#uniforms.set(name, place)
    }
    return place
  }

  #take(table: ColourTable): void {
    const gl = this.#gl
    gl.activeTexture(gl.TEXTURE1)
    const known = this.#tables.get(table)
    if (known) {
      gl.bindTexture(gl.TEXTURE_3D, known)
      return
    }
    if (this.#tables.size >= MOST_TABLES) {
      for (const old of this.#tables.values()) gl.deleteTexture(old)
      this.#tables.clear()
    }
    const texture = gl.createTexture()
    gl.bindTexture(gl.TEXTURE_3D, texture)
    gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MIN_FILTER, gl.NEAREST)
    gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MAG_FILTER, gl.NEAREST)
    gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGB32F, TABLE_SIZE, TABLE_SIZE, TABLE_SIZE, 0, gl.RGB, gl.FLOAT, table)
    this.#tables.set(table, texture)
  }

  /**
   * A picture through a map and a table, black beside it.
   * @param map from its pixels to those that come out
   * @param kept of the picture, in its pixels
   * @returns where it lies until the next one is drawn; null where the card is gone
   */
  drawn(sample: VideoSample, map: Affine, kept: Rect, width: number, height: number, table: ColourTable): OffscreenCanvas | null {
    const gl = this.#gl
    if (gl.isContextLost()) return null
    const canvas = this.#canvas
    if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height })
    gl.viewport(0, 0, width, height)
    this.#take(table)
    gl.activeTexture(gl.TEXTURE0)
    const frame = sample.toVideoFrame()
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, frame)
    frame.close()
    const [a, b, c, d, e, f] = inverse(map)
    gl.uniform4f(this.#of('turned'), a, b, c, d)
    gl.uniform2f(this.#of('moved'), e, f)
    gl.uniform2f(this.#of('size'), sample.displayWidth, sample.displayHeight)
    gl.uniform4f(this.#of('kept'), kept.x, kept.y, kept.x + kept.width, kept.y + kept.height)
    gl.uniform1f(this.#of('tall'), height)
    gl.drawArrays(gl.TRIANGLES, 0, 3)
    return canvas
  }
}

function programOf(gl: WebGL2RenderingContext): WebGLProgram {
  const program = gl.createProgram()
  for (const [kind, text] of [
    [gl.VERTEX_SHADER, CORNERS],
    [gl.FRAGMENT_SHADER, COLOURS],
  ] as const) {
    const shader = gl.createShader(kind)
    if (!shader) throw new Error('the graphics card takes no programs')
    gl.shaderSource(shader, text)
    gl.compileShader(shader)
    gl.attachShader(program, shader)
  }
  gl.linkProgram(program)
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(program) ?? 'the graphics card refused a program')
  return program
}

let card: Card | null | undefined

/** A picture whose colours the graphics card brings through tables; the browser draws the rest. What cannot be is left to the browser. */
export async function onCard(sample: VideoSample): Promise<Picture> {
  card ??= Card.open()
  if (!card || sample.rotation !== 0) return sample
  const own = card
  const { timestamp, displayWidth, displayHeight } = sample
  const plain: Picture = {
    timestamp,
    displayWidth,
    displayHeight,
    draw: (...by) => sample.draw(...by),
    close: () => sample.close(),
  }
  return {
    ...plain,
    drawThrough: (ctx, from, to, table) => {
      const [x, y] = [Math.round(to.x), Math.round(to.y)]
      const [width, height] = [Math.max(1, Math.round(to.x + to.width) - x), Math.max(1, Math.round(to.y + to.height) - y)]
      const [across, down] = [width / from.width, height / from.height]
      const drawn = own.drawn(sample, [across, 0, 0, down, -from.x * across, -from.y * down], from, width, height, table)
      if (drawn) ctx.drawImage(drawn, x, y)
      else drawPicture(ctx, plain, from, to, table)
    },
    drawPlaced: (ctx, by, table) => {
      const { map, kept, place } = by
      const [a, b, c, d, e, f] = map
      const drawn = table && own.drawn(sample, [a, b, c, d, e - place.x, f - place.y], kept, place.width, place.height, table)
      if (drawn) ctx.drawImage(drawn, place.x, place.y)
      else drawPlaced(ctx, plain, by, table)
    },
  }
}
