import { MenuItem, TextField } from '@mui/material'
import type { ReactNode } from 'react'

import { NumberField } from '../components/NumberField'
import type { Edit, StageLook } from '../api/types'
import { labels } from '../words/materials'

type Part = Extract<Edit, { kind: 'place-feed' }>['part']
type Wrap = StageLook['wrap'][number]

const SETS = [0, 1, 2, 3]
const WRAPS: Record<Wrap, string> = {
  repeat: 'repeats',
  clamp: labels.endsInItsLastTexels,
  mirror: labels.repeatsMirrored,
}

interface Props {
  uv: StageLook['uv']
  wrap: StageLook['wrap']
  set: (part: Part, value: unknown) => void
  back?: ReactNode
}

/** Where maps lie on a mesh: UV set, tiling, offset, rotation, and what is beyond their borders. Each part is set by itself. */
export function Placing({ uv, wrap, set, back }: Props) {
  const [tileU, tileV] = uv.tiling ?? [1, 1]
  const [offsetU, offsetV] = uv.offset ?? [0, 0]
  const beyond = (label: string, at: 0 | 1) => (
    <TextField
      select
      fullWidth
      label={label}
      value={wrap[at]}
      onChange={(event) => {
        const other = event.target.value as Wrap
        set('wrap', at === 0 ? [other, wrap[1]] : [wrap[0], other])
      }}
    >
      {(Object.keys(WRAPS) as Wrap[]).map((kind) => (
        <MenuItem key={kind} value={kind}>
          {WRAPS[kind]}
        </MenuItem>
      ))}
    </TextField>
  )
  return (
    <>
      <div className="row">
        <TextField
          select
          fullWidth
          label={labels.uvSet}
          value={uv.set ?? 0}
          onChange={(event) => set('uv.set', Number(event.target.value))}
        >
          {SETS.map((number) => (
            <MenuItem key={number} value={number}>
              {number === 0 ? labels.wordFirst : labels.set(number)}
            </MenuItem>
          ))}
        </TextField>
        <NumberField
          label={labels.tilesInU}
          value={tileU!}
          done={(value) => set('uv.tiling.u', value)}
        />
        <NumberField
          label={labels.tilesInV}
          value={tileV!}
          done={(value) => set('uv.tiling.v', value)}
        />
        {back}
      </div>
      <div className="row">
        <NumberField
          label={labels.offsetU}
          value={offsetU!}
          done={(value) => set('uv.offset.u', value)}
        />
        <NumberField
          label={labels.offsetV}
          value={offsetV!}
          done={(value) => set('uv.offset.v', value)}
        />
        <NumberField
          label={labels.rotation}
          value={((uv.rotation ?? 0) * 180) / Math.PI}
          done={(value) => set('uv.rotation', (value * Math.PI) / 180)}
        />
      </div>
      <div className="row">
        {beyond(labels.beyondTheBorderInU, 0)}
        {beyond(labels.beyondTheBorderInV, 1)}
      </div>
    </>
  )
}
