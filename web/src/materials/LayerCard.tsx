import { styled } from '@mui/material/styles'
import { Button, MenuItem, TextField } from '@mui/material'

import type { InputName } from '../api/types'
import { NumberField } from '../components/NumberField'
import { exact } from '../words'
import { ColourPick, Move } from './Controls'
import type { Layer } from './feed'
import { COLOURS, WIDE, largest } from './feed'
import { MapChoice } from './MapChoice'
import { MaskFields } from './MaskFields'
import { labels } from '../words/materials'

const LayerPlaceBox = styled('details')({
  '& .row': {
    marginTop: 8,
  },
  '& summary': {
    cursor: 'pointer',
  },
})

export const OPS: Record<Layer['op'], string> = {
  multiply: labels.multipliedBy,
  add: 'plus',
  mix: labels.coveredBy,
  normal: labels.withTheDetailOf,
}

interface Props {
  input: InputName
  layer: Layer
  attempt: (change: Partial<Layer>) => void
  settle: (change: Partial<Layer>) => void
  takeOff: () => void
}

/** One layer: what it is, how it counts, where it lies, and where it is seen. */
export function LayerCard({ input, layer, attempt, settle, takeOff }: Props) {
  const isNormal = input === 'normal'
  const value = layer.value
  return (
    <>
      <div className="row wrap">
        {!isNormal && (
          <TextField
            select
            label={labels.how}
            value={layer.op}
            onChange={(event) => settle({ op: event.target.value as Layer['op'] })}
            sx={{ minWidth: 118 }}
          >
            {(['multiply', 'add', 'mix'] as const).map((op) => (
              <MenuItem key={op} value={op}>
                {OPS[op]}
              </MenuItem>
            ))}
          </TextField>
        )}
        {layer.map != null && (
          <>
            <MapChoice
              label={labels.itsMap}
              value={layer.map}
              fits={(map) => !isNormal || map.channels >= 3}
              choose={(map) => map && settle({ map })}
            />
            <TextField
              select
              label={labels.channel}
              value={layer.channels ?? 'r'}
              onChange={(event) => settle({ channels: event.target.value as Layer['channels'] })}
              sx={{ minWidth: 84 }}
            >
              {(isNormal
                ? ['rgb']
                : [...(WIDE.includes(input) ? ['rgb'] : []), 'r', 'g', 'b', 'a', 'luminance']
              ).map((channel) => (
                <MenuItem key={channel} value={channel}>
                  {channel.length > 3 ? channel : channel.toUpperCase()}
                </MenuItem>
              ))}
            </TextField>
          </>
        )}
        <Button onClick={takeOff}>{labels.remove}</Button>
      </div>
      {typeof value === 'number' && (
        <Move
          label={labels.itsValue}
          value={value}
          max={largest(input)}
          attempt={(next) => attempt({ value: next })}
          settle={(next) => settle({ value: next })}
        />
      )}
      {Array.isArray(value) && COLOURS.includes(input) && (
        <ColourPick
          label={labels.itsColour}
          value={value}
          attempt={(next) => attempt({ value: next })}
          settle={(next) => settle({ value: next })}
        />
      )}
      <Move
        label={labels.howMuch}
        value={layer.amount}
        max={1}
        limits={[0, 1]}
        attempt={(amount) => attempt({ amount })}
        settle={(amount) => settle({ amount })}
      />
      <MaskFields
        mask={layer.mask ?? null}
        attempt={(mask) => attempt({ mask })}
        settle={(mask) => settle({ mask })}
      />
      {layer.map != null && <LayerPlace layer={layer} settle={settle} />}
    </>
  )
}

const OVER_ALL = {
  set: 0,
  tiling: [1, 1] as [number, number],
  offset: [0, 0] as [number, number],
  rotation: 0,
}

/** Where a layer's map lies in the picture that it is laid over. */
function LayerPlace({ layer, settle }: Pick<Props, 'layer' | 'settle'>) {
  const uv = { ...OVER_ALL, ...layer.uv }
  const [u, v] = uv.tiling
  const place = (change: Partial<typeof uv>) => {
    const next = { ...uv, ...change }
    settle({ uv: JSON.stringify(next) === JSON.stringify(OVER_ALL) ? null : next })
  }
  const words = layer.uv
    ? labels.tilesOf(
        exact(u),
        exact(v),
        uv.rotation ? labels.turned(exact((uv.rotation * 180) / Math.PI)) : '',
      )
    : labels.overAllOfItOnce
  const whole = [u, v].every(Number.isInteger)
  return (
    <LayerPlaceBox>
      <summary className="small">{labels.lies(words)}</summary>
      <div className="row">
        <NumberField
          label={labels.tilesInU}
          value={u}
          done={(tiles) => place({ tiling: [tiles, v] })}
        />
        <NumberField
          label={labels.tilesInV}
          value={v}
          done={(tiles) => place({ tiling: [u, tiles] })}
        />
        <NumberField
          label={labels.turnedTitle}
          value={(uv.rotation * 180) / Math.PI}
          done={(degrees) => place({ rotation: (degrees * Math.PI) / 180 })}
        />
      </div>
      <div className="row">
        <NumberField
          label={labels.offsetU}
          value={uv.offset[0]}
          done={(offset) => place({ offset: [offset, uv.offset[1]] })}
        />
        <NumberField
          label={labels.offsetV}
          value={uv.offset[1]}
          done={(offset) => place({ offset: [uv.offset[0], offset] })}
        />
        <TextField
          select
          label={labels.wrap}
          value={layer.wrap?.[0] ?? 'repeat'}
          onChange={(event) => {
            const wrap = event.target.value as NonNullable<Layer['wrap']>[number]
            settle({ wrap: wrap === 'repeat' ? null : [wrap, wrap] })
          }}
          sx={{ minWidth: 120 }}
        >
          <MenuItem value="repeat">{labels.repeats}</MenuItem>
          <MenuItem value="mirror">{labels.mirrored}</MenuItem>
          <MenuItem value="clamp">{labels.ends}</MenuItem>
        </TextField>
      </div>
      {!whole && <p className="small amber">{labels.onlyWholeNumbersOfTilesMeet}</p>}
    </LayerPlaceBox>
  )
}
