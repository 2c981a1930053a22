import { Input, Modal, Table } from 'antd'
import { memo, useState } from 'react'
import { KEYMAP, type KeyId, keyText, type Where } from './keymap.ts'

/** Places in the order of the work. */
const PLACES: readonly Where[] = ['everywhere', 'Gather', 'Line up', 'Pulse', 'Switch', 'Balance']
const ROWS = (Object.keys(KEYMAP) as KeyId[])
  .map((id) => ({ id, keys: keyText(id), what: KEYMAP[id].what, where: KEYMAP[id].where }))
  .sort((a, b) => PLACES.indexOf(a.where) - PLACES.indexOf(b.where))

export const KeysList = memo(function KeysList({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [find, setFind] = useState('')
  const shown = ROWS.filter((k) => `${k.keys} ${k.what} ${k.where}`.toLowerCase().includes(find.toLowerCase()))
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
        rowKey="id"
        dataSource={shown}
        scroll={{ y: 380 }}
        columns={[
          { title: 'key', dataIndex: 'keys', width: 190, render: (k: string) => <span className="mono keys">{k}</span> },
          { title: 'what it does', dataIndex: 'what' },
          { title: 'where', dataIndex: 'where', width: 110 },
        ]}
      />
    </Modal>
  )
})
