export { writeEdl } from './edl/write.ts'
export { type Exchange, ExchangeError, type ExchangeFile, filmRange, layOut, type Segment } from './exchange.ts'
export { writeOtio } from './otio/write.ts'
