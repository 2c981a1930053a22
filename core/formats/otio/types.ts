/** The OpenTimelineIO JSON schemas that are written here (as published by the Academy Software Foundation). */
export interface RationalTime {
  OTIO_SCHEMA: 'RationalTime.1'
  rate: number
  value: number
}

export interface TimeRange {
  OTIO_SCHEMA: 'TimeRange.1'
  start_time: RationalTime
  duration: RationalTime
}

export type OtioObject = { OTIO_SCHEMA: string; name?: string; metadata?: Record<string, unknown>; [key: string]: unknown }
