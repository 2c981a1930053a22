import type { ProjectState } from '@pendolo/api'
import { type Counted, MARK_FILES, MARK_FORMATS, type MarkFormat, type MarkSheet, markFormatOf, readMarks, readMidi, writeMarks } from '@pendolo/core/formats'
import { laySong } from '@pendolo/core/grid'
import { type Edit, type Mark, marksOnMaster, projectRate, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, secondsToFlicks } from '@pendolo/core/time'
import { App, Button, Dropdown } from 'antd'
import { useRef } from 'react'
import { newId } from '../ids.ts'
import type { Peaks } from '../score/peaks.ts'
import type { StageProps } from '../stage.ts'

/** A song is laid on the recording where its notes stand out by so much. */
const CLEAR = 6

function sheetOf({ doc }: ProjectState): MarkSheet {
  const pulse = pulseOf(doc)
  const seconds = (t: number) => t / FLICKS_PER_SECOND
  return {
    marks: marksOnMaster(doc).map((m) => ({
      time: seconds(m.time),
      end: m.end === undefined ? null : seconds(m.end),
      kind: m.kind,
      name: m.name,
      text: m.text ?? '',
      hue: m.hue,
    })),
    beats: pulse && pulse.beats.length > 0 ? { beats: pulse.beats.map(seconds), downbeats: pulse.downbeats } : null,
  }
}

interface TakenIn {
  readonly edits: Edit[]
  readonly said: string
}

function takeIn(bytes: Uint8Array, name: string, peaks: Peaks | null, counted: Counted): TakenIn {
  const format = markFormatOf(name)
  let sheet: MarkSheet = readMarks(bytes, format, counted)
  let laid = ''
  const { notes } = format === 'mid' ? readMidi(bytes) : { notes: [] }
  if (notes.length > 0 && !peaks) laid = '; the recording has not been listened to yet, so it lies as written'
  else if (format === 'mid' && peaks) {
    const [{ high, low, perSecond }] = peaks.levels
    const loudness = Float32Array.from(high, (h, i) => Math.max(h, -low[i]) / 127)
    const found = laySong(notes, loudness, perSecond)
    if (found && found.clear >= CLEAR) {
      const moved = (t: number) => t + found.shift
      sheet = {
        marks: sheet.marks.map((m) => ({ ...m, time: moved(m.time), end: m.end === null ? null : moved(m.end) })),
        beats: sheet.beats && { ...sheet.beats, beats: sheet.beats.beats.map(moved) },
      }
      laid = `; its notes fall on the recording ${Math.abs(found.shift).toFixed(2)} s ${found.shift < 0 ? 'earlier' : 'later'} than written`
    } else if (notes.length > 0) laid = '; its notes stand out nowhere on the recording, so it lies as written'
  }
  const marks = sheet.marks.map((m, i): Mark => {
    const time = secondsToFlicks(m.time)
    const end = m.end === null ? undefined : secondsToFlicks(m.end)
    return {
      id: newId(),
      time,
      kind: m.kind,
      name: m.name.slice(0, 120),
      hue: m.hue ?? i % 12,
      ...(end !== undefined && end > time ? { end } : {}),
      ...(m.text ? { text: m.text.slice(0, 4000) } : {}),
    }
  })
  const edits: Edit[] = marks.length > 0 ? [{ type: 'addMarks', marks }] : []
  const beats = sheet.beats?.beats ?? []
  const skipped = beats.filter((t) => t < 0).length
  const downbeats = (sheet.beats?.downbeats ?? []).map((i) => i - skipped).filter((i) => i >= 0)
  if (beats.length - skipped > 1) {
    const lengths = downbeats.slice(1).map((d, i) => d - downbeats[i])
    const metre = lengths.sort((a, b) => a - b)[lengths.length >> 1] ?? 4
    const times = beats.filter((t) => t >= 0).map((t) => secondsToFlicks(t))
    const distances = times.slice(1).map((t, i) => t - times[i])
    const usual = [...distances].sort((a, b) => a - b)[distances.length >> 1]
    edits.push({
      type: 'setPulse',
      pulse: { tempoBpm: Math.min(1000, (60 * FLICKS_PER_SECOND) / usual), metre: Math.max(1, Math.min(32, metre)), confidence: 1, beats: times, downbeats },
    })
  }
  const parts = [
    marks.length > 0 ? `${marks.length} ${marks.length === 1 ? 'mark' : 'marks'}` : '',
    beats.length - skipped > 1 ? `${beats.length - skipped} beats` : '',
  ].filter(Boolean)
  return { edits, said: `${parts.join(' and ') || 'Nothing'} taken in from ${name}${laid}` }
}

interface MarksFilesProps {
  readonly project: ProjectState
  /** The waveform of the master, once it has come. */
  readonly loadPeaks: () => Promise<Peaks | null>
  readonly edit: StageProps['edit']
}

/** Marks and beats from files and to files. */
export function MarksFiles({ project, loadPeaks, edit }: MarksFilesProps) {
  const { message, notification } = App.useApp()
  const picker = useRef<HTMLInputElement>(null)
  const open = async (file: File) => {
    try {
      const { settings } = project.doc
      const counted = { style: { rate: projectRate(settings), dropFrame: settings.dropFrame }, startFrame: settings.startFrame }
      const { edits, said } = takeIn(new Uint8Array(await file.arrayBuffer()), file.name, await loadPeaks(), counted)
      if (edits.length > 0) edit(edits, 'take in marks')
      void message.success(said, 6)
    } catch (error) {
      notification.error({ title: `${file.name} was not taken in`, description: error instanceof Error ? error.message : String(error) })
    }
  }
  const save = (format: MarkFormat) => {
    const link = document.createElement('a')
    link.href = URL.createObjectURL(new Blob([Uint8Array.from(writeMarks(sheetOf(project), format))]))
    link.download = `${project.name} marks.${format}`
    link.click()
    URL.revokeObjectURL(link.href)
  }
  return (
    <div style={{ display: 'flex', gap: 6 }}>
      <Button size="small" onClick={() => picker.current?.click()}>
        Take marks in
      </Button>
      <input
        ref={picker}
        type="file"
        hidden
        accept={MARK_FORMATS.flatMap((f) => MARK_FILES[f].endings.map((e) => `.${e}`)).join(',')}
        aria-label="File of marks"
        onChange={(e) => {
          const [file] = e.target.files ?? []
          if (file) void open(file)
          e.target.value = ''
        }}
      />
      <Dropdown
        menu={{ items: MARK_FORMATS.map((f) => ({ key: f, label: MARK_FILES[f].name })), onClick: ({ key }) => save(key as MarkFormat) }}
        trigger={['click']}
      >
        <Button size="small">Write marks out</Button>
      </Dropdown>
    </div>
  )
}
