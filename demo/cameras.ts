/** What each device of the evening was, where it stood and what was wrong with it. Times are seconds on the master. */
export interface Take {
  readonly file: string
  /** Master time of the file's first instant and length in the file's own seconds. */
  readonly start: number
  readonly seconds: number
  /** Master seconds in one second of the file: speed of the take times the clock's drift. */
  readonly rate: number
  readonly timecode?: string
  readonly recordedAt: string
}

export interface View {
  readonly width: number
  readonly height: number
  readonly fps: [number, number]
  readonly zoom: number
  /** Middle of the picture on the stage, 0..1 each. */
  readonly x: number
  readonly y: number
  /** Colour cast over the picture. */
  readonly cast: string
  readonly exposure: number
  readonly shake: number
  /** Master stretches in which a head blocks the view. */
  readonly blocked: [number, number][]
  /** Master stretches out of focus. */
  readonly soft: [number, number][]
}

export interface Hearing {
  readonly sampleRate: number
  readonly channels: 'mono' | 'stereo' | 'left' | 'three'
  /** Reverberation time, s, and level of the direct sound against it. */
  readonly room: number
  readonly direct: number
  readonly noise: number
  /** Band that the microphone passes, Hz. */
  readonly band: [number, number]
  readonly gain: number
}

export interface Device {
  readonly folder: string
  readonly view: View | null
  readonly hearing: Hearing | null
  readonly takes: Take[]
  readonly foreign?: boolean
}

const PPM = 1e-6

export const DEVICES: Device[] = [
  {
    folder: 'gantry',
    view: { width: 640, height: 360, fps: [25, 1], zoom: 1, x: 0.5, y: 0.5, cast: 'rgba(90,50,20,0.12)', exposure: 1, shake: 0, blocked: [], soft: [] },
    hearing: { sampleRate: 48000, channels: 'stereo', room: 1.4, direct: 0.8, noise: 0.004, band: [80, 14000], gain: 0.5 },
    takes: [{ file: 'A001_0142.mov', start: 3.2, seconds: 172, rate: 1 + 21 * PPM, timecode: '10:58:12:04', recordedAt: '2026-05-02T19:30:03Z' }],
  },
  {
    folder: 'footplate',
    view: {
      width: 512,
      height: 288,
      fps: [30000, 1001],
      zoom: 1.75,
      x: 0.44,
      y: 0.6,
      cast: 'rgba(20,60,100,0.16)',
      exposure: 1.05,
      shake: 0.6,
      blocked: [],
      soft: [[88, 93]],
    },
    hearing: { sampleRate: 48000, channels: 'stereo', room: 0.7, direct: 1.2, noise: 0.003, band: [60, 15000], gain: 0.7 },
    takes: [{ file: 'clip0007.mp4', start: -4.6, seconds: 112, rate: 1 - 35 * PPM, recordedAt: '2026-05-02T19:29:55Z' }],
  },
  {
    folder: 'signal-box',
    view: {
      width: 512,
      height: 288,
      fps: [25, 1],
      zoom: 1.2,
      x: 0.58,
      y: 0.5,
      cast: 'rgba(50,80,20,0.18)',
      exposure: 0.92,
      shake: 0,
      blocked: [],
      soft: [[30, 34]],
    },
    hearing: { sampleRate: 44100, channels: 'mono', room: 1.8, direct: 0.45, noise: 0.006, band: [250, 3600], gain: 0.6 },
    takes: [
      { file: 'SB_01.mp4', start: 1.1, seconds: 46, rate: 1 + 48 * PPM, timecode: '10:58:30:00', recordedAt: '2026-05-02T19:30:01Z' },
      { file: 'SB_02.mp4', start: 64.37, seconds: 42, rate: 1 + 48 * PPM, recordedAt: '2026-05-02T19:31:04Z' },
      { file: 'SB_03.mp4', start: 128.9, seconds: 50, rate: 1 + 48 * PPM, recordedAt: '2026-05-02T19:32:09Z' },
    ],
  },
  {
    folder: 'platform-edge',
    view: {
      width: 512,
      height: 288,
      fps: [24000, 1001],
      zoom: 1.4,
      x: 0.62,
      y: 0.58,
      cast: 'rgba(90,40,120,0.16)',
      exposure: 0.95,
      shake: 2.2,
      blocked: [
        [97, 103],
        [148, 151],
      ],
      soft: [],
    },
    hearing: { sampleRate: 48000, channels: 'stereo', room: 1.1, direct: 0.6, noise: 0.012, band: [90, 12000], gain: 0.65 },
    takes: [{ file: 'P1000231.mp4', start: 70.63, seconds: 98, rate: 1 - 12 * PPM, recordedAt: '2026-05-02T19:31:11Z' }],
  },
  {
    folder: 'drums-close',
    view: { width: 640, height: 360, fps: [25, 1], zoom: 2.9, x: 0.79, y: 0.68, cast: 'rgba(110,80,10,0.14)', exposure: 1.1, shake: 0, blocked: [], soft: [] },
    hearing: { sampleRate: 48000, channels: 'left', room: 0.5, direct: 1.6, noise: 0.002, band: [50, 16000], gain: 0.9 },
    takes: [{ file: 'drums.mkv', start: 47.8, seconds: 100, rate: 1 + 5 * PPM, recordedAt: '2026-05-02T19:30:48Z' }],
  },
  {
    folder: 'roof-lamp',
    view: { width: 480, height: 360, fps: [15, 1], zoom: 0.86, x: 0.5, y: 0.46, cast: 'rgba(10,90,80,0.2)', exposure: 0.85, shake: 0, blocked: [], soft: [] },
    hearing: null,
    takes: [{ file: 'roof.mp4', start: 40.24, seconds: 88, rate: 1 - 20 * PPM, recordedAt: '2026-05-02T19:30:40Z' }],
  },
  {
    folder: 'recorder',
    view: null,
    hearing: { sampleRate: 44100, channels: 'three', room: 0.6, direct: 1.4, noise: 0.002, band: [40, 18000], gain: 0.6 },
    takes: [{ file: 'rec_0042.wav', start: -2.15, seconds: 188, rate: 1 + 60 * PPM, recordedAt: '2026-05-02T19:29:57Z' }],
  },
  {
    folder: 'handheld',
    view: {
      width: 512,
      height: 288,
      fps: [25, 1],
      zoom: 1.6,
      x: 0.34,
      y: 0.62,
      cast: 'rgba(120,30,60,0.12)',
      exposure: 1.08,
      shake: 3.2,
      blocked: [],
      soft: [[150, 152]],
    },
    hearing: { sampleRate: 48000, channels: 'mono', room: 0.9, direct: 0.7, noise: 0.01, band: [200, 7000], gain: 0.8 },
    takes: [
      { file: 'VID_0041.mp4', start: 134.4, seconds: 44, rate: 1 + 30 * PPM, recordedAt: '2026-05-02T19:32:15Z' },
      { file: 'VID_0044_fast.mp4', start: 58.25, seconds: 24, rate: 1.25 * (1 + 30 * PPM), recordedAt: '2026-05-02T18:02:11Z' },
    ],
  },
  {
    folder: 'pocket',
    foreign: true,
    view: { width: 512, height: 288, fps: [25, 1], zoom: 1.1, x: 0.5, y: 0.5, cast: 'rgba(120,120,60,0.25)', exposure: 1.3, shake: 1.5, blocked: [], soft: [] },
    hearing: { sampleRate: 48000, channels: 'mono', room: 0.4, direct: 1, noise: 0.01, band: [100, 12000], gain: 0.7 },
    takes: [{ file: 'market-square.mp4', start: 0, seconds: 14, rate: 1, recordedAt: '2026-05-02T14:10:00Z' }],
  },
]
