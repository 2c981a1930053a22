import { FASTEST_SPEED, SLOWEST_SPEED } from '@pendolo/core/lineup'
import type { FileFacts, Placement } from '@pendolo/core/project'
import { rateToNumber } from '@pendolo/core/time'
import { Button, InputNumber } from 'antd'
import { useState } from 'react'

interface SpeedProps {
  readonly placement: Placement | null
  readonly video: FileFacts['video']
  readonly onShow: (speed: number) => void
  /** Shows the same recording a second time. */
  readonly onAgain: (speed: number) => void
  /** null where there is no sound to search by. */
  readonly onSearch: ((speed: number | 'any') => void) | null
}

/** No clock is off by more than this: what is, was made faster or slower on purpose. */
const CLOCKS = 0.001
const rounded = (speed: number) => (Math.abs(speed - 1) < CLOCKS ? 1 : Math.round(speed * 100_000) / 100_000)

/**
 * Master seconds in one second of the clip: found, told to the search, or chosen for how a take is to be shown. Who knows what
 * was done on the day says that, and nobody calculates.
 */
export function Speed({ placement, video, onShow, onAgain, onSearch }: SpeedProps) {
  const own = video ? rateToNumber(video.rate) : null
  const [speed, setSpeed] = useState<number | null>(placement ? rounded(placement.rate) : 1)
  const [shot, setShot] = useState<number | null>(own === null ? null : rounded(own))
  const [played, setPlayed] = useState<number | null>(placement ? Math.round(rounded(placement.rate) * 10_000) / 100 : 100)
  const workOut = (shotAt: number | null, percent: number | null) => {
    setShot(shotAt)
    setPlayed(percent)
    if (percent && (own === null || shotAt)) setSpeed(rounded((percent / 100) * (own === null ? 1 : own / (shotAt as number))))
  }
  return (
    <details className="points speed" open={placement !== null && Math.abs(placement.rate - 1) > CLOCKS}>
      <summary>Speed</summary>
      <div>
        {own !== null && (
          <>
            <label htmlFor="shot-at" className="quiet">
              shot at
            </label>
            <InputNumber id="shot-at" size="small" min={1} max={1000} value={shot} onChange={(v) => workOut(v, played)} suffix="f/s" style={{ width: 92 }} />
          </>
        )}
        <label htmlFor="played-at" className="quiet">
          song played at
        </label>
        <InputNumber id="played-at" size="small" min={10} max={500} value={played} onChange={(v) => workOut(shot, v)} suffix="%" style={{ width: 84 }} />
      </div>
      <div>
        <label htmlFor="speed" className="quiet" title="Seconds of the master in one second of the clip">
          speed
        </label>
        <InputNumber
          id="speed"
          size="small"
          min={SLOWEST_SPEED}
          max={FASTEST_SPEED}
          step={0.05}
          value={speed}
          onChange={setSpeed}
          suffix="×"
          style={{ width: 96 }}
        />
        <Button
          size="small"
          disabled={!speed}
          title={placement ? '1 is real speed; what is at the playhead stays there' : 'It begins at the playhead'}
          onClick={() => speed && onShow(speed)}
        >
          Show at this speed
        </Button>
        {placement && (
          <Button
            size="small"
            disabled={!speed}
            title="A second take of the same recording: once in time, once at its shot speed"
            onClick={() => speed && onAgain(speed)}
          >
            Show once more
          </Button>
        )}
        {onSearch && (
          <>
            <Button
              size="small"
              disabled={!speed}
              title="Look for the place of a take whose song was played faster or slower by this"
              onClick={() => speed && onSearch(speed)}
            >
              Search at this speed
            </Button>
            <Button size="small" title="From a quarter to four times; takes a minute or so for a song" onClick={() => onSearch('any')}>
              Search at any speed
            </Button>
          </>
        )}
      </div>
    </details>
  )
}
