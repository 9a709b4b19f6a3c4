import { useEdit } from '../api/changes'
import { useProject } from '../api/queries'
import { Confirm } from '../components/Confirm'
import { INPUT_WORDS, count } from '../words'

/** Asks before maps are taken out, and names every input that they feed. */
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
  const materials = useProject().data?.document.materials ?? {}
  const fed = Object.entries(materials).flatMap(([material, entry]) =>
    (
      Object.entries(entry.inputs ?? {}) as [
        keyof typeof INPUT_WORDS,
        NonNullable<typeof entry.inputs>[string],
      ][]
    )
      .filter(([, feed]) =>
        [feed.map, ...(feed.layers ?? []).flatMap((layer) => [layer.map, layer.mask?.map])].some(
          (map) => map != null && names.includes(map),
        ),
      )
      .map(([input]) => `${INPUT_WORDS[input].name.toLowerCase()} of ${material}`),
  )
  const what = names.length === 1 ? names[0]! : count(names.length, 'map')
  return (
    <Confirm
      title={`Remove ${what}`}
      action="Remove"
      close={close}
      done={() =>
        void edit({ kind: 'remove-maps', maps: names, with_feeds: fed.length > 0 }).then(
          (after) => after && done?.(),
        )
      }
    >
      {fed.length > 0 ? (
        <>
          <p>△ It feeds {count(fed.length, 'input')}, which will be fed by nothing then:</p>
          <ul>
            {fed.slice(0, 12).map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
          {fed.length > 12 && <p className="small">and {fed.length - 12} more</p>}
        </>
      ) : (
        <p>Nothing is fed from {names.length === 1 ? 'it' : 'them'}.</p>
      )}
      <p className="small">This is one step; Undo brings everything back.</p>
    </Confirm>
  )
}
