/** A message of a controller: its bytes, and when it came, on the page's clock, ms. */
export interface MidiPress {
  readonly data: ArrayLike<number>
  readonly at: number
}

const KEY = 'pendolo.midi'
/** The first note that means an angle where nothing was learnt (General MIDI: the lowest drum). */
export const FIRST_NOTE = 36
const NOTE_ON = 0x90
const CONTROL = 0xb0

/** Which button or key a message is of; null where it is no press (a release, a clock, a turned knob let go). */
export function pressOf({ data }: Pick<MidiPress, 'data'>): string | null {
  const kind = data[0] & 0xf0
  if ((kind !== NOTE_ON && kind !== CONTROL) || !(data[2] > 0)) return null
  return `${kind === NOTE_ON ? 'note' : 'control'} ${data[1]} on ${(data[0] & 0x0f) + 1}`
}

/**
 * The place in the order of the angles that a press means.
 * @param learnt places by presses
 */
export function angleOfPress(press: string, learnt: Readonly<Record<string, number>>): number | null {
  if (Object.hasOwn(learnt, press)) return learnt[press]
  const note = /^note (\d+) on/.exec(press)
  if (!note || Object.keys(learnt).length > 0) return null
  return Number(note[1]) >= FIRST_NOTE ? Number(note[1]) - FIRST_NOTE : null
}

export function readLearnt(): Record<string, number> {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? '{}') as Record<string, unknown>
    return Object.fromEntries(Object.entries(kept).flatMap(([press, index]) => (Number.isInteger(index) ? [[press, index as number]] : [])))
  } catch {
    return {}
  }
}

/** One press means one angle, and each angle has one press. */
export function withLearnt(learnt: Readonly<Record<string, number>>, press: string, index: number): Record<string, number> {
  return { ...Object.fromEntries(Object.entries(learnt).filter(([p, i]) => p !== press && i !== index)), [press]: index }
}

export function keepLearnt(learnt: Readonly<Record<string, number>>): void {
  localStorage.setItem(KEY, JSON.stringify(learnt))
}

/** A simulated controller: whoever posts the bytes of a message here is heard like a device. */
export const STAND_IN = 'pendolo-midi'

/**
 * Hears all controllers that are plugged in, now and later, and the simulated one.
 * @param real whether devices are asked for; browsers ask the user first
 * @param onDevices names of what is plugged in; null where the browser or the user does not let us
 * @returns a function that ends it
 */
export function hearMidi(real: boolean, onPress: (press: MidiPress) => void, onDevices: (names: readonly string[] | null) => void): () => void {
  const simulated = new BroadcastChannel(STAND_IN)
  simulated.onmessage = ({ data }: MessageEvent<number[]>) => Array.isArray(data) && onPress({ data, at: performance.now() })
  let ended = false
  let access: MIDIAccess | null = null
  const listen = () => {
    if (!access || ended) return
    const inputs = [...access.inputs.values()]
    for (const input of inputs) input.onmidimessage = (event) => event.data && onPress({ data: event.data, at: event.timeStamp })
    onDevices(inputs.map((i) => i.name ?? 'a controller'))
  }
  if (real) {
    const asked = 'requestMIDIAccess' in navigator ? navigator.requestMIDIAccess() : Promise.reject(new Error('no MIDI'))
    asked.then(
      (given) => {
        access = given
        access.onstatechange = listen
        listen()
      },
      () => onDevices(null),
    )
  }
  return () => {
    ended = true
    simulated.close()
    for (const input of access?.inputs.values() ?? []) input.onmidimessage = null
  }
}
