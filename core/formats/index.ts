export { writeEdl } from './edl/write.ts'
export { type Exchange, ExchangeError, type ExchangeFile, type GivingSegment, type InsetSegment, layOut, type MasterSegment, type Segment } from './exchange.ts'
export { EXCHANGE_FORMATS, ExchangeFormatError, exchangeFormat } from './exchanges.ts'
export {
  type Counted,
  MARK_FILES,
  MARK_FORMATS,
  type MarkFormat,
  type MarkSheet,
  MarksError,
  markFormatOf,
  readMarks,
  readMidi,
  writeMarks,
} from './marks/index.ts'
export { type OtioPlacement, readOtioPlacements } from './otio/read.ts'
export { writeOtio } from './otio/write.ts'
