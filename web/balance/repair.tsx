import type { ProjectState } from '@pendolo/api'
import { type Clicks, type Hum, humIn, MOST_HARMONICS, type Noise, noiseOf, type Repair, type Stretch, type Wind } from '@pendolo/core/mix'
import { type Edit, stripOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks, masterToClip } from '@pendolo/core/time'
import { App, Button, Popover, Tooltip } from 'antd'
import { useState } from 'react'
import { inputOf } from '../playback/model.ts'
import { readSamples } from '../playback/pcm.ts'
import { engine } from '../playback/use-engine.ts'
import { Num } from '../ui/num.tsx'
import { Switched } from './numbers.tsx'
import { type SoundRow, stripEdit } from './rows.ts'

interface Props {
  readonly project: ProjectState
  /** The chosen range, if there is one. */
  readonly range: Stretch | null
  /** All that are repaired, the shown one first; none of them a group. */
  readonly rows: readonly SoundRow[]
  readonly edit: (edits: Edit[], label: string, group?: string) => boolean
}

const NEW_HUM: Hum = { on: true, hz: 50, harmonics: 8 }
const NEW_CLICKS: Clicks = { on: true, sensitivity: 50 }
const NEW_WIND: Wind = { on: true, hz: 150 }
const LESS_DB = 12
/** What is listened to where no range is chosen, and at most, s. */
const LISTEN = 8
const LISTEN_MOST = 30
/** Noise is not learnt from less, s. */
const LEARN_LEAST = 0.2

/** What is repaired of a row: a channel goes by its clip where nothing was said of it. */
export const repairOf = ({ doc }: Pick<ProjectState, 'doc'>, { strip, clip, channel }: SoundRow): Repair =>
  strip.repair ?? (channel && clip ? stripOf(doc, clip.id).repair : undefined) ?? {}

/** Edits that change one repair of each row, whatever else is repaired of it. */
export function repairEdits<K extends keyof Repair>(
  project: Pick<ProjectState, 'doc'>,
  rows: readonly SoundRow[],
  kind: K,
  to: (old: Repair[K], row: SoundRow) => Repair[K],
): Edit[] {
  return rows
    .filter((r) => r.kind !== 'group')
    .map((row) => {
      const old = repairOf(project, row)
      return stripEdit(row, { repair: { ...old, [kind]: to(old[kind], row) } })
    })
}

/** How many repairs are on. */
export const repairsOn = (repair: Repair): number => Object.values(repair).filter((r) => r?.on).length

/** Opens what can be mended of the chosen recordings. */
export function RepairButton(props: Props) {
  const count = repairsOn(repairOf(props.project, props.rows[0]))
  return (
    <Popover trigger="click" placement="leftBottom" title="Repair" content={<Repairs {...props} />}>
      <Button size="small" type={count > 0 ? 'primary' : 'default'} aria-label={`Repair ${props.rows[0].name}`}>
        {count > 0 ? `Repair ${count}` : 'Repair'}
      </Button>
    </Popover>
  )
}

function Repairs({ project, range, rows, edit }: Props) {
  const { message } = App.useApp()
  const [busy, setBusy] = useState<'hum' | 'noise' | null>(null)
  const { name } = rows[0]
  const { hum, clicks, wind, noise } = repairOf(project, rows[0])
  const set = <K extends keyof Repair>(kind: K, label: string, to: (old: Repair[K], row: SoundRow) => Repair[K]) =>
    edit(repairEdits(project, rows, kind, to), label)
  const heard = range ?? around(engine.now())
  const listen = async (kind: 'hum' | 'noise', done: (list: { row: SoundRow; samples: Float32Array }[]) => void) => {
    setBusy(kind)
    try {
      done(await samplesOf(project, kind === 'hum' ? rows.slice(0, 1) : rows, heard))
    } catch (error) {
      message.error(error instanceof Error ? error.message : String(error))
    } finally {
      setBusy(null)
    }
  }
  const findHum = () =>
    listen('hum', ([{ samples }]) => {
      const found = humIn(samples, 48_000)
      if (!found) message.info(`No hum stands out in ${range ? 'the range' : 'what is around the playhead'}.`)
      else set('hum', 'take hum out', () => ({ on: true, ...found }))
    })
  const learn = () =>
    listen('noise', (list) => {
      const bands = new Map(list.map(({ row, samples }) => [row.key, noiseOf(samples, 48_000)]))
      set('noise', 'learn the noise', (old, row) => ({ on: true, reductionDb: old?.reductionDb ?? LESS_DB, bandsDb: bands.get(row.key) as number[] }))
    })
  const noRange = !range || range.to - range.from < LEARN_LEAST * FLICKS_PER_SECOND
  return (
    <div className="repairs">
      <Switched label="hum" on={hum?.on === true} onChange={(on) => set('hum', 'take hum out', (old) => ({ ...(old ?? NEW_HUM), on }))}>
        <Num
          label={`Hum of ${name}, Hz`}
          unit="Hz"
          value={(hum ?? NEW_HUM).hz}
          min={40}
          max={70}
          step={0.1}
          off={!hum?.on}
          onChange={(hz) => set('hum', 'take hum out', (old) => ({ ...(old ?? NEW_HUM), hz }))}
        />
        <Num
          label={`Tones of the hum of ${name}`}
          unit="tones"
          value={(hum ?? NEW_HUM).harmonics}
          min={1}
          max={MOST_HARMONICS}
          step={1}
          off={!hum?.on}
          onChange={(harmonics) => set('hum', 'take hum out', (old) => ({ ...(old ?? NEW_HUM), harmonics }))}
        />
        <Tooltip title={range ? 'listens to the range' : 'listens to what is around the playhead'}>
          <Button size="small" loading={busy === 'hum'} onClick={findHum}>
            Find it
          </Button>
        </Tooltip>
      </Switched>
      <Switched label="clicks" on={clicks?.on === true} onChange={(on) => set('clicks', 'take clicks out', (old) => ({ ...(old ?? NEW_CLICKS), on }))}>
        <Num
          label={`How much counts as a click of ${name}, %`}
          unit="%"
          value={(clicks ?? NEW_CLICKS).sensitivity}
          min={0}
          max={100}
          step={5}
          off={!clicks?.on}
          onChange={(sensitivity) => set('clicks', 'take clicks out', (old) => ({ ...(old ?? NEW_CLICKS), sensitivity }))}
        />
        <span className="quiet">more: fainter ones too</span>
      </Switched>
      <Switched label="wind" on={wind?.on === true} onChange={(on) => set('wind', 'calm the wind', (old) => ({ ...(old ?? NEW_WIND), on }))}>
        <Num
          label={`Wind of ${name} reaches up to, Hz`}
          unit="Hz"
          value={(wind ?? NEW_WIND).hz}
          min={40}
          max={500}
          step={10}
          off={!wind?.on}
          onChange={(hz) => set('wind', 'calm the wind', (old) => ({ ...(old ?? NEW_WIND), hz }))}
        />
        <span className="quiet">gusts go down, steady rumble: high-pass</span>
      </Switched>
      <Switched label="noise" on={noise?.on === true} off={!noise} onChange={(on) => set('noise', 'take noise down', (old) => (old ? { ...old, on } : old))}>
        <Num
          label={`Noise of ${name} down by, dB`}
          unit="dB"
          value={noise?.reductionDb ?? LESS_DB}
          min={0}
          max={40}
          step={1}
          off={!noise?.on}
          onChange={(reductionDb) => set('noise', 'take noise down', (old): Noise | undefined => old && { ...old, reductionDb })}
        />
        <Tooltip title={noRange ? 'first choose a range in which the noise alone is heard' : 'listens to the range: only the noise must be heard in it'}>
          <Button size="small" loading={busy === 'noise'} disabled={noRange} onClick={learn}>
            {noise ? 'Learn it anew' : 'Learn it from the range'}
          </Button>
        </Tooltip>
      </Switched>
    </div>
  )
}

const around = (time: number): Stretch => ({ from: flicks(time - (LISTEN / 2) * FLICKS_PER_SECOND), to: flicks(time + (LISTEN / 2) * FLICKS_PER_SECOND) })

/**
 * What rows hold in a stretch of the master.
 * @throws Error with words where a recording has no sound there
 */
async function samplesOf(project: ProjectState, rows: readonly SoundRow[], { from, to }: Stretch): Promise<{ row: SoundRow; samples: Float32Array }[]> {
  return Promise.all(
    rows.map(async (row) => {
      const input = row.clip && inputOf(project, row.clip.id, row.channel?.key ?? null)
      if (!input) throw new Error(`${row.name} cannot be heard yet: its light copy is not ready.`)
      const [a, b] = [from, Math.min(to, from + LISTEN_MOST * FLICKS_PER_SECOND)].map((t) => masterToClip(flicks(t), input.map) / FLICKS_PER_SECOND)
      const read = await readSamples(input.url, a, b, input.from ?? undefined)
      if (!read || read.values.every((x) => x === 0)) throw new Error(`${row.name} is silent here: choose a range in which its noise is heard.`)
      return { row, samples: read.values }
    }),
  )
}
