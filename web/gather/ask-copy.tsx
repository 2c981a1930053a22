import { counted, sizeText } from '@pendolo/api'
import { Button, Modal } from 'antd'
import type { Looked } from './dropping.ts'

/** What of a drop is copied: what lies nowhere that may be read, none of it, or the drop is given up. */
export type Copy = 'missing' | 'none' | 'nothing'

/** Says before anything is copied how much that would be, and where to; what lies in folders that may be read is used there. */
export function AskCopy({ looked: { lying, toCopy, bytes }, into, onAnswer }: { looked: Looked; into: string; onAnswer: (copy: Copy) => void }) {
  const here = lying.length > 0
  return (
    <Modal
      open
      title={
        here
          ? `${counted(lying.length, 'file')} of the drop lie${lying.length === 1 ? 's' : ''} where they can be used`
          : `${counted(toCopy.length, 'file')} would be copied`
      }
      onCancel={() => onAnswer('nothing')}
      footer={[
        <Button key="no" onClick={() => onAnswer('nothing')}>
          Cancel
        </Button>,
        here && toCopy.length > 0 && (
          <Button key="found" onClick={() => onAnswer('none')}>
            Use only what was found
          </Button>
        ),
        <Button key="yes" type="primary" onClick={() => onAnswer('missing')}>
          {toCopy.length === 0 ? 'Use them where they lie' : `${here ? 'Use those and copy' : 'Copy'} ${counted(toCopy.length, 'file')}, ${sizeText(bytes)}`}
        </Button>,
      ]}
    >
      {here && (
        <p>
          Found by name, size and content, for example <code>{lying[0].path}</code>. They stay there and nothing is copied.
        </p>
      )}
      {toCopy.length > 0 && (
        <p>
          {here
            ? toCopy.length === 1
              ? 'The other file'
              : `The other ${toCopy.length} files`
            : 'A browser does not tell where dropped files lie, and they are in none of the folders that may be read. They'}{' '}
          would be copied: {sizeText(bytes)} to <code>{into}</code>. To use them where they are, cancel and open their folder on the left instead.
        </p>
      )}
    </Modal>
  )
}
