import { MenuItem, TextField } from '@mui/material'
import type { ReactNode } from 'react'

import { NumberField } from '../components/NumberField'
import type { Edit, StageLook } from '../api/types'

type Part = Extract<Edit, { kind: 'place-feed' }>['part']
type Wrap = StageLook['wrap'][number]

const SETS = [0, 1, 2, 3]
const WRAPS: Record<Wrap, string> = {
  repeat: 'repeats',
  clamp: 'ends in its last texels',
  mirror: 'repeats mirrored',
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
          label="UV set"
          value={uv.set ?? 0}
          onChange={(event) => set('uv.set', Number(event.target.value))}
        >
          {SETS.map((number) => (
            <MenuItem key={number} value={number}>
              {number === 0 ? 'first' : `set ${number}`}
            </MenuItem>
          ))}
        </TextField>
        <NumberField
          label="Tiles in u"
          value={tileU!}
          done={(value) => set('uv.tiling.u', value)}
        />
        <NumberField
          label="Tiles in v"
          value={tileV!}
          done={(value) => set('uv.tiling.v', value)}
        />
        {back}
      </div>
      <div className="row">
        <NumberField
          label="Offset u"
          value={offsetU!}
          done={(value) => set('uv.offset.u', value)}
        />
        <NumberField
          label="Offset v"
          value={offsetV!}
          done={(value) => set('uv.offset.v', value)}
        />
        <NumberField
          label="Rotation, °"
          value={((uv.rotation ?? 0) * 180) / Math.PI}
          done={(value) => set('uv.rotation', (value * Math.PI) / 180)}
        />
      </div>
      <div className="row">
        {beyond('Beyond the border in u', 0)}
        {beyond('Beyond the border in v', 1)}
      </div>
    </>
  )
}
