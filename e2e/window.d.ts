interface Window {
  pendolo: {
    health: () => {
      due: number
      late: number
      playing: boolean
      soundSeconds: number
      clicks: number
      sounds: Record<string, { level: number; pan: number }>
      shown: Record<string, { clipId: string | null; frame: number | null; wanted: number | null }>
      programme: { angleId: string | null; since: number; standIn: boolean; sharp: boolean; prepared?: boolean; rough?: boolean }
    }
    resetHealth: () => void
    /** What would be heard from where it stands, left and right. */
    rendered: (seconds: number) => Promise<Float32Array[]>
  }
}
