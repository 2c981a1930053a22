import { existsSync } from 'node:fs'
import { MediaError } from './ffmpeg.ts'

/** @throws MediaError when an original is not where it was */
export function present(file: { readonly path: string }): void {
  if (!existsSync(file.path)) throw new MediaError(`${file.path} is missing; find it again in Gather, then try again`)
}
