import { styled } from '@mui/material/styles'
import { useBoard, useMeshes, usePreview } from '../api/queries'
import type { Finding, InputName } from '../api/types'
import { Split } from '../components/Split'
import { Picture } from '../components/Picture'
import { INPUT_WORDS } from '../words'
import { about } from './groups'
import { labels } from '../words/checks'

const FindingPictures = styled('div')({
  display: 'grid',
  gridTemplateColumns: 'repeat(2, minmax(0, 1fr))',
  gap: 14,
  '&:empty': {
    display: 'none',
  },
  '& figure': {
    margin: 0,
  },
  '& img': {
    display: 'block',
    width: '100%',
    height: 248,
    objectFit: 'cover',
    background: 'var(--stage)',
  },
})

type Preview = NonNullable<ReturnType<typeof usePreview>['data']>

const onSpecimen = (key: string) => `/api/material-pictures/${key}/grey-room/320.png`
const asPicture = (key: string) => `/api/stage-pictures/${key}/512.png`

/** What a finding is seen by: faces or UVs, or the material and its inputs as they are and as they would be. */
export function Evidence({ finding }: { finding: Finding }) {
  const { kind } = about(finding.subject)
  if (kind === 'mesh') return <OnMesh finding={finding} />
  if (kind === 'project') return null
  return <OnMaterial finding={finding} />
}

function OnMesh({ finding }: { finding: Finding }) {
  const { name, part } = about(finding.subject)
  const mesh = (useMeshes().data ?? []).find((entry) => entry.name === name)
  const slot = mesh?.slots.findIndex((entry) => entry.name === part) ?? -1
  if (!mesh?.measured || slot < 0) return null
  const faces = mesh.faults.some((fault) => fault.code === finding.code && fault.seen)
  return (
    <FindingPictures>
      <figure>
        <Picture
          src={`/api/mesh-evidence/${mesh.key}/${finding.code}/${slot}.png`}
          alt={faces ? labels.theFacesOn(name) : labels.uvsOf(part)}
        />
        <figcaption className="small">
          {faces ? labels.theFacesHatchedOn(name) : labels.uvsOfTheLighterSquareIs(part)}
        </figcaption>
      </figure>
    </FindingPictures>
  )
}

function OnMaterial({ finding }: { finding: Finding }) {
  const { kind, name, part } = about(finding.subject)
  const edits = finding.remedy?.edits ?? []
  const preview = usePreview(edits, kind === 'material' ? name : null).data
  const changed = Object.entries(preview?.inputs ?? {})
    .filter(([input]) => !part || part === input || kind === 'map')
    .slice(0, 2)
  return (
    <FindingPictures>
      {preview && (preview.after || kind === 'material') && <OnSpecimen preview={preview} />}
      {changed.map(([input, keys]) => (
        <OnInput key={input} input={input as InputName} keys={keys} />
      ))}
      {changed.length === 0 && kind === 'map' && <StoredMap name={name} />}
    </FindingPictures>
  )
}

function StoredMap({ name }: { name: string }) {
  const map = useBoard().data?.find((entry) => entry.name === name)
  if (!map?.sha256) return null
  return (
    <figure>
      <Picture src={`/api/map-pictures/${map.sha256}/rgb/512.png`} alt={name} />
      <figcaption className="small">{labels.theMapAsItIsStored}</figcaption>
    </figure>
  )
}

/** An input as it is and as it would be. */
function OnInput({ input, keys: [before, after] }: { input: InputName; keys: [string, string] }) {
  const words = INPUT_WORDS[input].name
  return (
    <Split
      left={{ src: asPicture(before), alt: labels.currentOf(words), words: labels.wordCurrent }}
      right={{ src: asPicture(after), alt: labels.mendedOf(words), words: labels.wordFixed }}
      middle={words.toLowerCase()}
    />
  )
}

/** The material as it is and, where a fix would change it, as it would be. */
function OnSpecimen({ preview }: { preview: Preview }) {
  const { before, after, material } = preview
  if (!after)
    return (
      <figure>
        <Picture src={onSpecimen(before)} alt={labels.current(material)} />
        <figcaption className="small">{labels.current(material)}</figcaption>
      </figure>
    )
  return (
    <Split
      left={{ src: onSpecimen(before), alt: labels.current(material), words: labels.wordCurrent }}
      right={{ src: onSpecimen(after), alt: labels.mended(material), words: labels.wordFixed }}
      middle={material}
    />
  )
}
