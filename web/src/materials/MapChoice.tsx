import { MapThumb } from '../components/MapThumb'
import { Box, Autocomplete, TextField } from '@mui/material'

import { useBoard } from '../api/queries'
import type { BoardMap } from '../api/types'
import { MiddleTruncate } from '../components/MiddleTruncate'
import { naturally } from '../words'

interface Props {
  label: string
  value: string | null
  choose: (name: string | null) => void
  fits?: (map: BoardMap) => boolean
  /** What stands there when none is chosen. */
  none?: string
  open?: boolean
  closed?: () => void
}

/** A map by its name, typed or chosen, with its picture. */
export function MapChoice({ label, value, choose, fits, none, open, closed }: Props) {
  const maps = (useBoard().data ?? [])
    .filter(fits ?? (() => true))
    .sort((a, b) => naturally(a.name, b.name))
  const byName = new Map(maps.map((map) => [map.name, map]))
  return (
    <Autocomplete
      size="small"
      openOnFocus={open}
      options={maps.map((map) => map.name)}
      value={value}
      onChange={(_, name) => choose(name)}
      onClose={() => closed?.()}
      autoHighlight
      sx={{ minWidth: 190, flex: 1 }}
      renderOption={({ key, ...props }, name) => {
        const map = byName.get(name)
        return (
          <li key={key} {...props} title={name} aria-label={name}>
            <MapThumb sha256={map && map.width > 0 ? map.sha256 : null} side={24} />
            <Box component="span" sx={{ marginLeft: 1, minWidth: 0 }}>
              <MiddleTruncate name={name} />
            </Box>
          </li>
        )
      }}
      renderInput={(props) => (
        <TextField {...props} autoFocus={open} label={label} placeholder={none} />
      )}
    />
  )
}
