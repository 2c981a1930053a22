import type { GatheredFile, ProjectState } from '@pendolo/api'
import { applyEdits, type Edit, emptyProject, type FileFacts, type Placement } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'

/** Time in flicks. */
export const seconds = (s: number) => flicks(Math.round(s * FLICKS_PER_SECOND))

/** A camera's file that was gathered. */
export function file(id: string, length: number, over: { video?: FileFacts['video']; ready?: Partial<GatheredFile['ready']> } = {}): GatheredFile {
  const video: FileFacts['video'] = {
    codec: 'h264',
    width: 640,
    height: 360,
    rate: { num: 25, den: 1 },
    variableRate: false,
    startSeconds: 0,
    frames: length * 25,
    pixelAspect: '1:1',
  }
  return {
    id,
    path: `/cards/${id}.mov`,
    name: `${id}.mov`,
    size: 1,
    contentKey: `key-${id}`,
    facts: {
      durationSeconds: length,
      container: 'mov',
      video: over.video === undefined ? video : over.video,
      audio: { codec: 'aac', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 },
      timecode: null,
      recordedAt: null,
      camera: null,
    },
    notes: [],
    missing: false,
    ready: { tile: true, sharp: true, sound: true, channels: true, peaks: true, channelPeaks: true, ...over.ready },
  }
}
export const placement = (start: number, over: Partial<Placement> = {}): Placement => ({
  start: seconds(start),
  rate: 1,
  method: 'sound',
  verdict: 'sure',
  confidence: 1,
  why: [],
  locked: false,
  ...over,
})

/** A desk mix of a minute, a camera on the gantry from 4 s on, and one on the roof that has no place. */
export function project(edits: Edit[] = [], files = [file('mix', 60, { video: null }), file('gantry', 30), file('roof', 20)]): ProjectState {
  const { doc } = applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: [
        { id: 'g', name: 'Gantry', hue: 0, framing: 'fit' },
        { id: 'r', name: 'Roof', hue: 1, framing: 'fill' },
      ],
      clips: [
        { id: 'master', fileId: 'mix', angleId: null, state: 'in' },
        { id: 'gantry-1', fileId: 'gantry', angleId: 'g', state: 'in' },
        { id: 'roof-1', fileId: 'roof', angleId: 'r', state: 'in' },
      ],
    },
    { type: 'setMaster', clipId: 'master' },
    { type: 'place', by: 'search', placements: { 'gantry-1': placement(4) }, loose: { 'roof-1': [{ code: 'nothing-alike' }] } },
    ...edits,
  ])
  return { id: 'p', name: 'Depot Night', revision: 1, doc, files, canUndo: null, canRedo: null, seq: 1 }
}
