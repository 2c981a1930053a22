import type { Page } from '@playwright/test'
import { readPicture } from './numbers.ts'
import { pixelsOf } from './pixels.ts'

/** Reads a picture of the wall as it is on the screen now, with the sound's position just before and just after. */
export async function look(page: Page, label: string) {
  const { data, width, height, seconds, until, wall } = await pixelsOf(page, label, [1])
  return { read: readPicture(data, width, height), seconds, until, wall }
}
