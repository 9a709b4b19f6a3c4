import { useBoard, useMeshes, usePreview } from '../api/queries'
import type { Finding, InputName } from '../api/types'
import { Split } from '../components/Split'
import { Picture } from '../components/Picture'
import { INPUT_WORDS } from '../words'
import { about } from './groups'
import { labels } from '../words/checks'

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
    <div className="finding-pictures">
      <figure>
        <Picture
          src={`/api/mesh-evidence/${mesh.key}/${finding.code}/${slot}.png`}
          alt={faces ? labels.theFacesOn(name) : labels.uvsOf(part)}
        />
        <figcaption className="small">
          {faces ? labels.theFacesHatchedOn(name) : labels.uvsOfTheLighterSquareIs(part)}
        </figcaption>
      </figure>
    </div>
  )
}

function OnMaterial({ finding }: { finding: Finding }) {
  const { kind, name, part } = about(finding.subject)
  const board = useBoard().data ?? []
  const edits = finding.remedy?.edits ?? []
  const preview = usePreview(edits, kind === 'material' ? name : null).data
  const map = kind === 'map' ? board.find((entry) => entry.name === name) : undefined
  const changed = Object.entries(preview?.inputs ?? {})
    .filter(([input]) => !part || part === input || kind === 'map')
    .slice(0, 2)
  return (
    <div className="finding-pictures">
      {preview &&
        (preview.after ? (
          <Split
            left={{
              src: onSpecimen(preview.before),
              alt: labels.current(preview.material),
              words: labels.wordCurrent,
            }}
            right={{
              src: onSpecimen(preview.after),
              alt: labels.mended(preview.material),
              words: labels.wordFixed,
            }}
            middle={preview.material}
          />
        ) : (
          kind === 'material' && (
            <figure>
              <Picture src={onSpecimen(preview.before)} alt={labels.current(preview.material)} />
              <figcaption className="small">{labels.current(preview.material)}</figcaption>
            </figure>
          )
        ))}
      {changed.map(([input, [before, after]]) => {
        const words = INPUT_WORDS[input as InputName].name
        return (
          <Split
            key={input}
            left={{
              src: asPicture(before),
              alt: labels.currentOf(words),
              words: labels.wordCurrent,
            }}
            right={{ src: asPicture(after), alt: labels.mendedOf(words), words: labels.wordFixed }}
            middle={words.toLowerCase()}
          />
        )
      })}
      {changed.length === 0 && map?.sha256 && (
        <figure>
          <Picture src={`/api/map-pictures/${map.sha256}/rgb/512.png`} alt={name} />
          <figcaption className="small">{labels.theMapAsItIsStored}</figcaption>
        </figure>
      )}
    </div>
  )
}
