import { useEdit } from '../api/changes'
import { useBoard } from '../api/queries'
import { Confirm } from '../components/Confirm'
import { count } from '../words'
import { labels } from '../words/maps'

/** Asks before maps are removed, and names everything that they are used for. */
export function RemoveMaps({
  names,
  close,
  done,
}: {
  names: string[]
  close: () => void
  done?: () => void
}) {
  const edit = useEdit()
  const board = useBoard().data ?? []
  const uses = board.filter((map) => names.includes(map.name)).flatMap((map) => map.uses)
  const what = names.length === 1 ? names[0]! : count(names.length, 'map')
  return (
    <Confirm
      title={labels.removeOf(what)}
      action={labels.removeTitle}
      close={close}
      done={() =>
        void edit({ kind: 'remove-maps', maps: names, with_feeds: uses.length > 0 }).then(
          (after) => after && done?.(),
        )
      }
    >
      {uses.length > 0 ? (
        <>
          <p>{labels.usedAsFollowsAndWillBe(names.length === 1 ? labels.itIs : labels.theyAre)}</p>
          <ul>
            {uses.slice(0, 12).map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
          {uses.length > 12 && <p className="small">{labels.andMoreOf(uses.length - 12)}</p>}
        </>
      ) : (
        <p>{labels.nothingUses(names.length === 1 ? 'it' : 'them')}</p>
      )}
      <p className="small">{labels.thisIsOneStepUndoBrings}</p>
    </Confirm>
  )
}
