/** What of a picture is seen, on top of how it is fitted: shift, size, turn. */
export interface Cutout {
  /** Shift in parts of the frame's width and height, −2 to 2; to the right and down. */
  readonly x: number
  readonly y: number
  /** 1 is the size it is fitted to; 0.1 to 10. */
  readonly scale: number
  /** Degrees clockwise, −180 to 180. */
  readonly turn: number
  readonly mirrored?: true
}

/** How pictures are corrected, in numbers; what is absent is left as it is. */
export interface Look {
  /** Stops, −5 to 5. */
  readonly exposure?: number
  /** −1 (cooler) to 1 (warmer). */
  readonly warmth?: number
  /** −1 (greener) to 1 (more magenta). */
  readonly tint?: number
  /** Around middle grey, 0 to 3; 1 is none. */
  readonly contrast?: number
  /** 0 (grey) to 3; 1 is none. */
  readonly saturation?: number
}

/** Least and greatest of each number of a look or a cutout. */
export const LOOK_BOUNDS: Readonly<Record<keyof Look, readonly [number, number]>> = {
  exposure: [-5, 5],
  warmth: [-1, 1],
  tint: [-1, 1],
  contrast: [0, 3],
  saturation: [0, 3],
}
