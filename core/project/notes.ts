import type { Rate } from '../time/index.ts'
import type { FileFacts } from './facts.ts'

/** What is odd about a file and what is done about it; interfaces have the words. */
export type Note =
  /** What of its facts could not be read; and what was kept before notes had codes. */
  | { readonly code: 'words'; readonly text: string }
  | { readonly code: 'variable-rate'; readonly rate: Rate }
  | { readonly code: 'no-sound' | 'other-shape' | 'silent' | 'fields' }
  | { readonly code: 'wide-range'; readonly curve: 'pq' | 'hlg' }
  | { readonly code: 'pixel-aspect'; readonly aspect: string; readonly width: number; readonly height: number }
  | { readonly code: 'channels'; readonly channels: number }
  | { readonly code: 'empty-channel'; readonly side: string }
  /** Timecode recorded as sound; channels count from 1. */
  | { readonly code: 'timecode'; readonly label: string; readonly channel: number }

/** Shape that is taken as usual, and how far from it nobody minds. */
const USUAL_SHAPE = 16 / 9
const SHAPE_OFF = 0.02

/** What the facts of a file say of it; hearing and seeing it whole may add to that. */
export function notesFor({ video, audio }: FileFacts): Note[] {
  const notes: Note[] = []
  if (video?.variableRate) notes.push({ code: 'variable-rate', rate: video.rate })
  if (video?.fields) notes.push({ code: 'fields' })
  if (video?.wide) notes.push({ code: 'wide-range', curve: video.wide })
  if (video && !audio && !video.still) notes.push({ code: 'no-sound' })
  if (video && video.pixelAspect !== '1:1') notes.push({ code: 'pixel-aspect', aspect: video.pixelAspect, width: video.width, height: video.height })
  if (video && Math.abs(video.width / video.height - USUAL_SHAPE) > SHAPE_OFF) notes.push({ code: 'other-shape' })
  if (audio && audio.channels > 2) notes.push({ code: 'channels', channels: audio.channels })
  return notes
}
