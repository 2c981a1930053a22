/** Endings of files that may hold pictures or sound; what is in them is decided by probing. */
const MEDIA = /\.(mp4|mov|m4v|mkv|webm|avi|mts|m2ts|ts|mxf|mpg|mpeg|3gp|flv|dv|wmv|wav|bwf|w64|aif|aiff|flac|mp3|m4a|aac|ogg|opus|caf|wv|amr)$/i

export function looksLikeMedia(name: string): boolean {
  return MEDIA.test(name) && !name.startsWith('.')
}
