import { Button } from '@mui/material'
import { useState } from 'react'
import { useEdit } from '../api/changes'
import type { Feed, Row } from '../api/types'
import { useClipboard } from './clipboard'
import { UNCHANGED, changes } from './feed'
import { JobProgress } from '../components/JobProgress'
import { HeightToNormal } from './HeightToNormal'
import { labels } from '../words/materials'

export function ViewActions({
  material,
  row,
  isMap,
  solo,
  toggleSolo,
  compare,
}: {
  material: string
  row: Row
  isMap: boolean
  solo: boolean
  toggleSolo: () => void
  compare: () => void
}) {
  const [makingNormal, setMakingNormal] = useState(false)
  return (
    <>
      <Button aria-pressed={solo} title={labels.showOnlyThisInputOnThe} onClick={toggleSolo}>
        {solo ? labels.showLit : labels.isolate}
      </Button>
      {row.input === 'height' && isMap && (
        <Button title={labels.aNormalMapOfThisHeight} onClick={() => setMakingNormal(true)}>
          {labels.makeANormalOfIt}
        </Button>
      )}
      <JobProgress kinds={['normal']} />
      {makingNormal && <HeightToNormal material={material} close={() => setMakingNormal(false)} />}
      <Button title={labels.theMaterialAsItIsBeside} onClick={compare}>
        {labels.beforeAfter}
      </Button>
    </>
  )
}

export function FeedActions({
  material,
  row,
  saved,
  feed,
  derived,
  settle,
  commit,
}: {
  material: string
  row: Row
  saved: Feed
  feed: Feed
  derived: boolean
  settle: (change: Partial<Feed>) => void
  commit: (feed: Feed | null) => void
}) {
  const edit = useEdit()
  const { row: copied, copyRow } = useClipboard()
  return (
    <>
      {changes(row.input, feed).length > 0 && (
        <Button
          title={labels.resetAllAdjustmentsOfThisInput}
          onClick={() => settle({ ...UNCHANGED, layers: [], strength: 1 })}
        >
          {labels.reset}
        </Button>
      )}
      <Button
        title={labels.keepWhatFeedsThisInputTo}
        onClick={() => copyRow({ input: row.input, feed: saved })}
      >
        {labels.copyRow}
      </Button>
      {copied && (
        <Button title={labels.feedThisInputWithWhatWas} onClick={() => settle({ ...copied.feed })}>
          {labels.pasteRow}
        </Button>
      )}
      {row.own && (
        <Button
          title={derived ? labels.useTheInheritedFeedAgain : labels.feedItWithNothingGltfsDefault}
          onClick={() => commit(null)}
        >
          {derived ? labels.resetToInherited : labels.clear}
        </Button>
      )}
      {row.own && derived && (
        <Button
          title={labels.makeItTheBasesValueSo}
          onClick={() => void edit({ kind: 'push-up', material, input: row.input })}
        >
          {labels.pushUpToBase}
        </Button>
      )}
      {derived && (
        <span className="small">
          {row.own
            ? labels.overrideTheBaseHasAnotherValue
            : labels.inheritedFrom(row.origin ?? labels.theDefault)}
        </span>
      )}
    </>
  )
}
