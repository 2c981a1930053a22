import { Input, Modal, Table } from 'antd'
import { useState } from 'react'

/** Every key of the application, once; the searchable list shows this. */
const KEYS: { keys: string; what: string; where: string }[] = [
  { keys: 'Space', what: 'play and stop', where: 'everywhere' },
  { keys: 'J  K  L', what: 'shuttle backwards, stop, forwards (again: faster)', where: 'everywhere' },
  { keys: '← →', what: 'one frame back, on; with Shift one second', where: 'everywhere' },
  { keys: '↑ ↓', what: 'previous, next cut', where: 'Switch' },
  { keys: 'Home End', what: 'to the start, to the end of the film; with Shift of all that was recorded', where: 'everywhere' },
  { keys: '1 … 9, 0, Q … P', what: 'show this angle from here on', where: 'Switch' },
  { keys: 'Shift + 1 … P', what: 'give this angle to the stretch under the playhead', where: 'Switch' },
  { keys: '[  ]', what: 'move the nearest cut a frame earlier, later; with Shift to the beat before, after', where: 'Switch' },
  { keys: 'Backspace', what: 'join: remove the nearest cut', where: 'Switch' },
  { keys: ',  .', what: 'a range begins, ends at the playhead; so does a drag over the master with Shift', where: 'Switch' },
  { keys: 'X', what: 'leave the chosen range out of the film, or bring it back', where: 'Switch' },
  { keys: 'V', what: 'play the film as it will be, or the master as it was recorded', where: 'Switch' },
  { keys: 'B', what: 'drop a mark', where: 'everywhere' },
  { keys: 'Shift + B', what: 'drop a mark and name it', where: 'everywhere' },
  { keys: '[  ]', what: 'move the chosen clip a frame earlier, later; with Shift a tenth of a frame; with Alt a millisecond', where: 'Line up' },
  { keys: 'Alt + drag', what: 'slide a clip along the master; a locked one stays', where: 'Line up' },
  { keys: 'Enter', what: 'accept the chosen clip', where: 'Line up' },
  { keys: 'F', what: 'flam check: both sounds together', where: 'Line up' },
  { keys: 'Alt + L', what: 'lock or unlock the chosen clip', where: 'Line up' },
  { keys: ',  .', what: "step the chosen clip's picture by itself, a frame back, on; with Shift ten", where: 'Line up' },
  { keys: 'C', what: 'check: both sounds at the start, the middle and the end', where: 'Line up' },
  { keys: 'S', what: 'same instant: put what both pictures show together', where: 'Line up' },
  { keys: 'M  I  O', what: 'set mark, in or out point of the chosen clip; with Shift on the master', where: 'Line up' },
  { keys: 'T', what: 'tap the beats of a stretch while it plays', where: 'Pulse' },
  { keys: 'N', what: 'clicks on the beats while playing', where: 'Pulse' },
  { keys: 'D', what: 'the beat at the playhead begins a bar', where: 'Pulse' },
  { keys: '↑ ↓', what: 'previous, next of the marks that the list shows', where: 'Pulse' },
  { keys: '0 … 6', what: 'list all marks, beats, bars, cues, parts, phrases, notes', where: 'Pulse' },
  { keys: 'Backspace', what: 'remove the chosen marks; Ctrl/⌘ A chooses all that are listed', where: 'Pulse' },
  { keys: 'Alt + ← →', what: 'beats 10 ms earlier, later; in the chosen stretch or everywhere', where: 'Pulse' },
  { keys: 'Ctrl/⌘ Z', what: 'undo; with Shift redo', where: 'everywhere' },
  { keys: '+  −', what: 'zoom the score', where: 'Switch' },
  { keys: '?', what: 'this list', where: 'everywhere' },
]

export function KeysList({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [find, setFind] = useState('')
  const shown = KEYS.filter((k) => `${k.keys} ${k.what} ${k.where}`.toLowerCase().includes(find.toLowerCase()))
  return (
    <Modal open={open} onCancel={onClose} footer={null} title="All keys" width={640} destroyOnHidden>
      <Input
        autoFocus
        placeholder="Find a key or what it does"
        value={find}
        onChange={(e) => setFind(e.target.value)}
        style={{ marginBottom: 10 }}
        aria-label="Find a key"
      />
      <Table
        size="small"
        pagination={false}
        rowKey={(k) => k.keys + k.where}
        dataSource={shown}
        scroll={{ y: 380 }}
        columns={[
          { title: 'key', dataIndex: 'keys', width: 150, render: (k: string) => <span className="mono">{k}</span> },
          { title: 'what it does', dataIndex: 'what' },
          { title: 'where', dataIndex: 'where', width: 110 },
        ]}
      />
    </Modal>
  )
}
