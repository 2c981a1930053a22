import { endsLikeStill } from '../media/stills.ts'

/** Endings of files that may hold pictures or sound, those of tape and disc cameras too; what is in them is decided by probing. */
const MEDIA =
  /\.(mp4|mov|qt|m4v|mkv|mka|webm|avi|divx|mts|m2ts|m2t|ts|tod|mod|vob|mxf|mpg|mpeg|mpe|m2v|m2p|3gp|3g2|flv|f4v|dv|dif|wmv|asf|wav|wave|bwf|rf64|w64|aif|aiff|aifc|flac|mp2|mp3|m4a|m4b|aac|ac3|eac3|ogg|oga|ogv|opus|caf|au|snd|wv|wma|amr)$/i

/** What cameras, computers and people lay beside recordings. */
const BESIDE =
  /\.(txt|md|pdf|rtf|docx?|xlsx?|csv|xml|json|ya?ml|html?|url|ini|inf|log|nfo|db|dat|bak|tmp|zip|rar|7z|gz|exe|dmg|app|js|srt|vtt|ass|lut|cube|thm|bim|bdm|bnp|cpi|mpl|ifo|bup|ctg|idx|sec|smi|ppn|pek|cfa|otio|edl|aaf|md5|mhl|xmp|gif|bmp|heic|heif|psd|svg|ico|cr2|cr3|nef|arw|dng|rw2|raf|orf)$/i

export function looksLikeMedia(name: string): boolean {
  return (MEDIA.test(name) || endsLikeStill(name)) && !name.startsWith('.')
}

/** Why a file in a folder that is gathered is not even looked into; null when its ending says nothing against it. */
export function notLookedInto(name: string): string | null {
  const ending = BESIDE.exec(name)?.[0].toLowerCase()
  return ending ? `${ending} files hold no recordings` : null
}
