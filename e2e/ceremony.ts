import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync } from 'node:fs'
import path from 'node:path'
import { fileURLToPath } from 'node:url'
import { scratch } from './server.ts'

const SPEECH = path.join(path.dirname(path.dirname(fileURLToPath(import.meta.url))), 'demo', 'assets', 'speech.ogg')
const RATE = 48000
export const LENGTH = 60

/** Who wears a wireless microphone, the tone that it hums with, which nobody's voice has, Hz, and how high their voice is. */
export const PEOPLE = [
  { name: 'Stationmaster', tone: 9000, pitch: 1 },
  { name: 'Mayor', tone: 10_000, pitch: 0.86 },
  { name: 'Signalwoman', tone: 11_000, pitch: 1.18 },
] as const

/** Who speaks when: from which second on, and which seconds of the read text. */
export const WORDS: readonly { who: number; at: number; from: number; to: number }[] = [
  { who: 0, at: 14, from: 0, to: 3.9 },
  { who: 1, at: 20, from: 4.5, to: 9 },
  { who: 2, at: 27, from: 9.6, to: 11.6 },
  { who: 0, at: 31, from: 12.1, to: 16 },
  { who: 1, at: 40, from: 22, to: 27.4 },
  { who: 2, at: 49, from: 28, to: 32.1 },
]
/** Somebody touches the Mayor's microphone while another speaks: a thump, with a tone by which it is found again. */
export const TOUCH = { who: 1, at: 33, length: 0.4, tone: 13_000, level: 0.5 }
/** Level of the hum of each microphone. */
const HUM = 0.02
/** How much of the others each microphone hears: 14 dB less. */
const BLEED = 0.2
const MUSIC = [
  [0, 12],
  [37, 56],
] as const

/** All words of one person where they are spoken, as a filter graph's output. */
function voice(who: number, label: string): string {
  const own = WORDS.filter((w) => w.who === who)
  const { pitch } = PEOPLE[who]
  const parts = own.map(({ at, from, to }, i) => {
    // Higher or lower by playing it quicker or slower, and as long as before.
    const heightened = `asetrate=${RATE * pitch},aresample=${RATE},atempo=${(1 / pitch).toFixed(6)}`
    return `[0:a]aresample=${RATE},atrim=${from}:${to},asetpts=PTS-STARTPTS,afade=d=0.03,afade=t=out:st=${(to - from - 0.03).toFixed(3)}:d=0.03,${heightened},adelay=${Math.round(at * 1000)}:all=1,apad=whole_dur=${LENGTH}[${label}${i}]`
  })
  return `${parts.join(';')};${own.map((_, i) => `[${label}${i}]`).join('')}amix=inputs=${own.length}:normalize=0,atrim=0:${LENGTH},aformat=channel_layouts=mono[${label}]`
}

const tone = (hz: number, level: number) => `${level}*sin(2*PI*${hz}*t)`
const expr = (text: string) => `aevalsrc='${text}':s=${RATE}:d=${LENGTH}`

/** The ceremony's files: a recorder with three wireless microphones and one on the table, the desk, five cameras. Made once. */
export function makeCeremony(): string {
  const folder = scratch('ceremony')
  if (existsSync(path.join(folder, 'desk'))) return folder
  for (const name of ['desk', 'recorder', ...cameras]) mkdirSync(path.join(folder, name), { recursive: true })
  const music = MUSIC.map(
    ([from, to]) =>
      `clip((t-${from})/0.4,0,1)*clip((${to}-t)/0.4,0,1)*(0.05*sin(2*PI*220*t)+0.04*sin(2*PI*277*t)+0.04*sin(2*PI*330*t)*(0.6+0.4*sin(2*PI*t/2)))`,
  ).join('+')
  const touch = `between(t,${TOUCH.at},${TOUCH.at + TOUCH.length})*(${tone(TOUCH.tone, TOUCH.level)}+0.3*sin(2*PI*60*t))`
  // Inputs: speech, music, the three hums, the touch, the table's noise.
  const inputs = [
    '-i',
    SPEECH,
    ...[music, ...PEOPLE.map((p) => tone(p.tone, HUM)), touch].flatMap((e) => ['-f', 'lavfi', '-i', expr(e)]),
    ...['-f', 'lavfi', '-i', `anoisesrc=d=${LENGTH}:seed=5:a=0.006:r=${RATE}`],
  ]
  const split = (label: string, count: number) => `[${label}]asplit=${count}${Array.from({ length: count }, (_, i) => `[${label}_${i}]`).join('')}`
  const mic = (k: number) =>
    `${[0, 1, 2].map((v) => `[v${v}_${k}]volume=${v === k ? 1 : BLEED}[m${k}v${v}]`).join(';')};[m${k}v0][m${k}v1][m${k}v2][${2 + k}:a]${k === TOUCH.who ? '[5:a]' : ''}amix=inputs=${k === TOUCH.who ? 5 : 4}:normalize=0[mic${k}]`
  const graph = [
    ...[0, 1, 2].map((v) => voice(v, `v${v}`)),
    ...[0, 1, 2].map((v) => split(`v${v}`, 6)),
    '[1:a]asplit=3[mu0][mu1][mu2]',
    '[6:a]asplit=2[no0][no1]',
    ...[0, 1, 2].map(mic),
    '[v0_3][v1_3][v2_3][mu0][no0]amix=inputs=5:weights=0.3 0.3 0.3 0.3 1:normalize=0[table]',
    '[mic0][mic1][mic2][table]join=inputs=4:channel_layout=4.0:map=0.0-FL|1.0-FR|2.0-FC|3.0-BC[recorder]',
    '[v0_4][v1_4][v2_4][mu1]amix=inputs=4:weights=0.8 0.8 0.8 1:normalize=0,pan=stereo|c0=c0|c1=c0[desk]',
    '[v0_5][v1_5][v2_5][mu2][no1]amix=inputs=5:weights=0.4 0.4 0.4 0.6 2:normalize=0[scratch]',
  ].join(';')
  const outs = [
    ...['-map', '[recorder]', '-c:a', 'pcm_s24le', path.join(folder, 'recorder', 'vestry.wav')],
    ...['-map', '[desk]', '-c:a', 'pcm_s24le', path.join(folder, 'desk', 'desk.wav')],
    ...['-map', '[scratch]', '-c:a', 'pcm_s16le', path.join(folder, 'scratch.wav')],
  ]
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...inputs, '-filter_complex', graph, ...outs])
  for (const [i, name] of cameras.entries()) {
    const picture = ['-f', 'lavfi', '-i', `testsrc2=s=320x180:r=25:d=${LENGTH - 2 * i}`]
    const sound = ['-ss', String(i), '-i', path.join(folder, 'scratch.wav')]
    const codec = ['-c:v', 'libx264', '-preset', 'ultrafast', '-g', '25', '-c:a', 'aac', '-shortest']
    execFileSync('ffmpeg', ['-v', 'error', '-y', ...picture, ...sound, ...codec, path.join(folder, name, `${name}.mp4`)])
  }
  return folder
}
const cameras = ['gantry', 'aisle', 'balcony', 'door', 'organ']
