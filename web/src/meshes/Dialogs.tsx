import { useEdit, useRecipe } from '../api/changes'
import type { MeshFacts, MeshStep } from '../api/types'
import { AskName } from '../components/AskName'
import { Confirm } from '../components/Confirm'
import { count } from '../words'
import type { UvAction } from './EditUvs'
import { EditUvs } from './EditUvs'
import { CopyAssignments, SuggestAll } from './Proposals'
import { labels } from '../words/meshes'

/** What a person is asked before something is done to a mesh. */
export type Asking =
  | { kind: 'propose' }
  | { kind: 'alike' }
  | { kind: 'remove' }
  | { kind: 'rename'; slot: string }
  | { kind: 'merge' }
  | { kind: 'uvs'; action: UvAction; slots: string[]; at?: number[] }

interface Props {
  mesh: MeshFacts
  /** The slots that are chosen, the first of them first. */
  chosen: string[]
  asking: Asking | null
  close: () => void
  choose: (slot: string) => void
}

/** The dialogs of the Meshes screen, one at a time. */
export function Dialogs({ mesh, chosen, asking, close, choose }: Props) {
  const edit = useEdit()
  const change = useRecipe()
  if (!asking) return null
  const addStep = (made: MeshStep) => change(mesh.name, { append: made })
  return (
    <>
      {asking.kind === 'propose' && <SuggestAll close={close} />}
      {asking.kind === 'alike' && <CopyAssignments mesh={mesh.name} close={close} />}
      {asking.kind === 'remove' && (
        <Confirm
          title={labels.remove(mesh.name)}
          action={labels.removeTitle}
          close={close}
          done={() => void edit({ kind: 'remove-mesh', mesh: mesh.name })}
        >
          <p>
            {labels.itsWhatIsOnThemAnd(
              count(mesh.slots.length, 'slot'),
              mesh.recipe.length
                ? labels.doneToIt(count(mesh.recipe.length, 'step'))
                : labels.itsTicks,
            )}
          </p>
          <p className="small">{labels.thisIsOneStepUndoBrings}</p>
        </Confirm>
      )}
      {asking.kind === 'rename' && (
        <AskName
          title={labels.renameTheSlot}
          label={labels.slotName}
          initial={asking.slot}
          close={close}
          done={(next) =>
            void addStep({ kind: 'rename-slot', slot: asking.slot, name: next }).then(
              (project) => project && chosen[0] === asking.slot && choose(next),
            )
          }
        />
      )}
      {asking.kind === 'merge' && (
        <AskName
          title={labels.mergeTheChosenSlots}
          label={labels.slotName}
          initial={chosen[0] ?? ''}
          close={close}
          done={(next) =>
            void addStep({ kind: 'merge-slots', slots: chosen, name: next }).then(
              (project) => project && choose(next),
            )
          }
        />
      )}
      {asking.kind === 'uvs' && (
        <EditUvs
          mesh={mesh}
          slots={asking.slots}
          action={asking.action}
          at={asking.at}
          close={close}
        />
      )}
    </>
  )
}
