import { LayerBox } from './styles'
import { styled } from '@mui/material/styles'
import { Autocomplete, Button, TextField } from '@mui/material'
import { useState } from 'react'

import { useProject } from '../api/queries'
import type { Cover } from '../api/types'
import { moved, useReorder } from '../components/reorder'
import { naturally } from '../words'
import { Move } from './Controls'
import { MaskFields } from './MaskFields'
import { labels } from '../words/materials'

const Covers = styled('section')({
  padding: '8px 14px 0',
})

interface Props {
  name: string
  covers: Cover[]
  problem: string | null
  attempt: (covers: Cover[]) => void
  settle: (covers: Cover[]) => void
  go: (material: string) => void
}

/** Other materials over this one, each where its mask is: all inputs at once, still one picture an input on export. */
export function MaterialLayers({
  name,
  covers: saved,
  problem,
  attempt: tryOut,
  settle: save,
  go,
}: Props) {
  const materials = Object.keys(useProject().data?.document.materials ?? {})
    .filter((other) => other !== name)
    .sort(naturally)
  const [adding, setAdding] = useState(false)
  // What a hand is at counts before it is saved: the next step of a slider goes on from there.
  const [moving, setMoving] = useState<Cover[] | null>(null)
  const covers = moving ?? saved
  const attempt = (next: Cover[]) => {
    setMoving(next)
    tryOut(next)
  }
  const settle = (next: Cover[]) => {
    setMoving(null)
    save(next)
  }
  const replaced = (at: number, change: Partial<Cover>) =>
    covers.map((cover, i) => (i === at ? { ...cover, ...change } : cover))
  const { handle, goal } = useReorder(covers.length, (from, to) => settle(moved(covers, from, to)))
  const choice = (label: string, value: string | null, choose: (material: string) => void) => (
    <Autocomplete
      size="small"
      options={materials}
      value={value}
      openOnFocus={value === null}
      disableClearable={value !== null}
      autoHighlight
      onChange={(_, material) => material && choose(material)}
      onClose={() => setAdding(false)}
      sx={{ minWidth: 200, flex: 1 }}
      renderInput={(props) => <TextField {...props} autoFocus={value === null} label={label} />}
    />
  )
  return (
    <Covers aria-label={labels.materialLayers}>
      {problem && <p className="brick small">! {problem}</p>}
      {covers.map((cover, at) => (
        <LayerBox key={at} className="layer" {...goal(at)}>
          <legend className="small" {...handle(at)}>
            {covers.length > 1 && <span aria-hidden>⠿ </span>}
            {labels.materialLayer}{' '}
            <button className="link" onClick={() => go(cover.material)}>
              {cover.material}
            </button>
          </legend>
          <div className="row wrap">
            {choice(labels.material, cover.material, (material) =>
              settle(replaced(at, { material })),
            )}
            <Button onClick={() => settle(covers.filter((_, i) => i !== at))}>
              {labels.remove}
            </Button>
          </div>
          <Move
            label={labels.howMuch}
            value={cover.amount}
            max={1}
            limits={[0, 1]}
            attempt={(amount) => attempt(replaced(at, { amount }))}
            settle={(amount) => settle(replaced(at, { amount }))}
          />
          <MaskFields
            mask={cover.mask ?? null}
            attempt={(mask) => attempt(replaced(at, { mask }))}
            settle={(mask) => settle(replaced(at, { mask }))}
          />
        </LayerBox>
      ))}
      {adding ? (
        choice(labels.materialToCoverItWith, null, (material) => {
          setAdding(false)
          settle([...covers, { material, mask: null, amount: 1 }])
        })
      ) : (
        <button className="link" disabled={materials.length === 0} onClick={() => setAdding(true)}>
          {labels.addMaterialLayer}
        </button>
      )}
    </Covers>
  )
}
