import { Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material'

import { Move } from './Controls'
import type { Mask } from './feed'
import { plainMask } from './feed'
import { MapChoice } from './MapChoice'
import { labels } from '../words/materials'

interface Props {
  mask: Mask | null
  attempt: (mask: Mask) => void
  settle: (mask: Mask | null) => void
}

const CHANNELS = ['r', 'g', 'b', 'a', 'luminance'] as const

/** Where something lies: a map's channel, which way round, and how hard its edge is. */
export function MaskFields({ mask, attempt, settle }: Props) {
  return (
    <>
      <div className="row wrap">
        <MapChoice
          label={labels.onlyWhere}
          value={mask?.map ?? null}
          none="everywhere"
          choose={(map) => settle(map ? { ...(mask ?? plainMask), map } : null)}
        />
        {mask && (
          <>
            <TextField
              select
              label={labels.maskChannel}
              value={mask.channels}
              onChange={(event) =>
                settle({ ...mask, channels: event.target.value as Mask['channels'] })
              }
              sx={{ minWidth: 96 }}
            >
              {CHANNELS.map((channel) => (
                <MenuItem key={channel} value={channel}>
                  {channel.length > 1 ? channel : channel.toUpperCase()}
                </MenuItem>
              ))}
            </TextField>
            <FormControlLabel
              label={labels.whereItIsDark}
              control={
                <Checkbox
                  size="small"
                  checked={mask.invert}
                  onChange={(event) => settle({ ...mask, invert: event.target.checked })}
                />
              }
            />
          </>
        )}
      </div>
      {mask && (
        <>
          <Move
            label={labels.edge}
            value={mask.contrast}
            min={1}
            max={20}
            step={0.1}
            limits={[0.01, 1000]}
            attempt={(contrast) => attempt({ ...mask, contrast })}
            settle={(contrast) => settle({ ...mask, contrast })}
          />
          {mask.contrast !== 1 && (
            <Move
              label={labels.edgeAt}
              value={mask.pivot}
              max={1}
              limits={[0, 1]}
              attempt={(pivot) => attempt({ ...mask, pivot })}
              settle={(pivot) => settle({ ...mask, pivot })}
            />
          )}
        </>
      )}
    </>
  )
}
