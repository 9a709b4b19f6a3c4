import { useEdit } from '../api/changes'
import type { Sheet } from '../api/types'
import { Confirm } from '../components/Confirm'
import { labels } from '../words/materials'

interface Props {
  sheet: Sheet
  close: () => void
}

/** Asks before a material is deleted, and says what it is on. */
export function RemoveMaterial({ sheet, close }: Props) {
  const edit = useEdit()
  return (
    <Confirm
      title={labels.deleteOf(sheet.material)}
      action={labels.deleteTitle}
      close={close}
      done={() => void edit({ kind: 'remove-material', material: sheet.material })}
    >
      <p>
        {sheet.slots.length
          ? labels.itIsAssignedToLeftBare(
              sheet.slots.join(', '),
              sheet.slots.length === 1 ? labels.thatSlotIs : labels.thoseSlotsAre,
            )
          : labels.itIsOnNoSlot}
      </p>
      {sheet.derived.length > 0 && (
        <p>{labels.deriveFromItDeleteThemFirst(sheet.derived.join(', '))}</p>
      )}
      <p className="small">{labels.thisIsOneStepUndoBrings}</p>
    </Confirm>
  )
}
