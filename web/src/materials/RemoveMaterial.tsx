import { useEdit } from '../api/changes'
import type { Sheet } from '../api/types'
import { Confirm } from '../components/Confirm'

interface Props {
  sheet: Sheet
  close: () => void
}

/** Asks before a material is deleted, and says what it is on. */
export function RemoveMaterial({ sheet, close }: Props) {
  const edit = useEdit()
  return (
    <Confirm
      title={`Delete ${sheet.material}`}
      action="Delete"
      close={close}
      done={() => void edit({ kind: 'remove-material', material: sheet.material })}
    >
      <p>
        {sheet.slots.length
          ? `△ It is assigned to ${sheet.slots.join(', ')}; ${sheet.slots.length === 1 ? 'that slot is' : 'those slots are'} left bare.`
          : 'It is on no slot.'}
      </p>
      {sheet.derived.length > 0 && (
        <p>
          △ {sheet.derived.join(', ')} derive from it: delete them first, or give them another base.
        </p>
      )}
      <p className="small">This is one step; Undo brings it back.</p>
    </Confirm>
  )
}
