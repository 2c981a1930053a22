import { startFrameOf } from '../../project/index.ts'
import { frameToTimecode, nominalRate, rateToNumber, timecodeToFrame } from '../../time/index.ts'
import { cutTransitions, type Exchange, type ExchangeFile } from '../exchange.ts'
import { pacedCut } from '../paced.ts'

/**
 * Writes the cut as a CMX3600-style edit decision list. Transitions are told in comments, since those of the format begin at their
 * cut and not before it. Reels are the files' names cut to eight characters, made
 * different from each other; a retimed clip gets an M2 line with its speed, a picture
 * that is held one with none. Source places are printed at the
 * project's rate, since the format has but one.
 */
export function writeEdl(exchange: Exchange): string {
  const style = { rate: exchange.rate, dropFrame: exchange.dropFrame }
  // Record times before midnight are those of the day before: the format knows no sign.
  const day = timecodeToFrame(`23:59:59:${nominalRate(exchange.rate) - 1}`, style) + 1
  const tc = (frame: number) => frameToTimecode(frame < 0 ? frame + day : frame, style)
  const lines = [`TITLE: ${exchange.name.replace(/[^\x20-\x7e]/g, '_').slice(0, 70)}`, `FCM: ${exchange.dropFrame ? 'DROP FRAME' : 'NON-DROP FRAME'}`, '']
  const reels = new Map<string, string>()
  const cut = pacedCut(exchange)
  const transitions = cutTransitions({ ...exchange, cut })
  for (const [i, segment] of cut.entries()) {
    const event = i + 1
    const transition = transitions.get(i)
    const recordIn = exchange.startFrame + segment.fromFrame
    const record = `${tc(recordIn)} ${tc(recordIn + segment.frames)}`
    const number = String(event).padStart(3, '0')
    if (!segment.source) {
      lines.push(`${number}  BL       V     C        ${tc(0)} ${tc(segment.frames)} ${record}`, '')
      continue
    }
    const { file, firstFrame, rate, angleName } = segment.source
    const reel = reelOf(file, reels)
    const own = rateToNumber(file.facts.video?.rate ?? exchange.rate)
    const project = rateToNumber(exchange.rate)
    const sourceIn = Math.floor(((startFrameOf(file.facts) + firstFrame) / own) * project + 1e-6)
    const { pace = 1 } = segment
    const still = segment.stillAt !== undefined || pace === 0
    const sourceFrames = still ? 1 : Math.max(1, Math.round((segment.frames * pace) / rate))
    const speed = still ? 0 : (nominalRate(exchange.rate) * pace) / rate
    lines.push(`${number}  ${reel.padEnd(8)} V     C        ${tc(sourceIn)} ${tc(sourceIn + sourceFrames)} ${record}`)
    if (still || Math.abs(pace / rate - 1) > 0.001)
      lines.push(`M2   ${reel.padEnd(8)}       ${speed.toFixed(1).padStart(5, '0')}                ${tc(sourceIn)}`)
    lines.push(`* FROM CLIP NAME: ${oneLine(file.name)}`, `* COMMENT: ANGLE ${oneLine(angleName)}${segment.standIn ? ' (STANDS IN)' : ''}`)
    if (transition) lines.push(`* COMMENT: ${transition.kind.toUpperCase()} OF ${2 * transition.half} FRAMES AROUND THIS CUT`)
    lines.push('')
  }
  return `${lines.join('\r\n')}\r\n`
}

/** A name with a line break would begin an event of its own. */
function oneLine(text: string): string {
  return text.replace(/[\p{Cc}\u2028\u2029]+/gu, ' ')
}

function reelOf(file: ExchangeFile, reels: Map<string, string>): string {
  const known = reels.get(file.id)
  if (known) return known
  const base =
    file.name
      .replace(/\.[^.]*$/, '')
      .toUpperCase()
      .replace(/[^A-Z0-9_]/g, '_')
      .slice(0, 8) || 'REEL'
  let reel = base
  for (let n = 2; [...reels.values()].includes(reel); n++) reel = `${base.slice(0, 8 - String(n).length)}${n}`
  reels.set(file.id, reel)
  return reel
}
