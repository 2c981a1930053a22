import { readdirSync } from 'node:fs'
import path from 'node:path'
import { childrenKnown } from '../media/ffmpeg.ts'
import { probe } from '../media/probe.ts'
import { makeMedia, showFolder, testConfig } from '../testing.ts'
import { FrameDecoder } from './decoder.ts'

const config = testConfig()
const handles = () => readdirSync('/proc/self/fd').length

test('a source that is left in the middle leaves no process, no pipe and no timer behind', async () => {
  const file = makeMedia(path.join(showFolder(config), 'long.mp4'), ['-f', 'lavfi', '-i', 'testsrc2=size=640x360:rate=25:duration=20'])
  const facts = await probe(config, file)
  const before = handles()
  for (let n = 0; n < 6; n++) {
    const decoder = new FrameDecoder(config, file, facts, 10 * n, { width: 640, height: 360 }, 'fit')
    const frame = await decoder.next().catch(() => null)
    // Meanwhile more is decoded than anybody will read.
    await new Promise((resolve) => setTimeout(resolve, 100))
    decoder.close()
    decoder.close()
    expect(frame?.grid).toBeLessThanOrEqual(10 * n)
  }
  const until = Date.now() + 5000
  while (childrenKnown() > 0 && Date.now() < until) await new Promise((resolve) => setTimeout(resolve, 20))
  expect(childrenKnown()).toBe(0)
  expect(handles()).toBeLessThanOrEqual(before + 1)
})
