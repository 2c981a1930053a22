/** A film as it is to be made. */
export interface FilmShape {
  readonly width: number
  readonly height: number
  readonly frames: number
}

/** Bytes a pixel that H.264 at our quality takes where pictures are restless all over. */
const RESTLESS = 0.03

/** Bytes that the pictures of a film take at most, as a rule: so much is kept free for it. */
export const mostFilmBytes = ({ width, height, frames }: FilmShape): number => RESTLESS * width * height * frames
