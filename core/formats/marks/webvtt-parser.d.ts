declare module 'webvtt-parser' {
  interface Cue {
    id: string
    startTime: number
    endTime: number
    text: string
  }
  class WebVTTParser {
    parse(
      text: string,
      mode?: 'metadata' | 'subtitles' | 'captions' | 'descriptions' | 'chapters',
    ): { cues: Cue[]; errors: { message: string; line: number; col?: number }[] }
  }
  const parsers: { WebVTTParser: typeof WebVTTParser }
  export default parsers
}
