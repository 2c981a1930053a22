/** A film as it is to be made. */
export interface FilmShape {
  readonly width: number
  readonly height: number
  readonly frames: number
}

/** Bytes a pixel that H.264 at our quality takes of clean pictures that move. */
const CLEAN = 0.03

/** Bytes that the pictures of a film usually take, and that are kept free for it; of noisy ones it takes several times as many. */
export const usualFilmBytes = ({ width, height, frames }: FilmShape): number => CLEAN * width * height * frames
