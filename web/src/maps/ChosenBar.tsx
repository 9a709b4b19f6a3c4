import { Button, Menu, MenuItem } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import type { BoardMap, Edit, Role } from '../api/types'
import { AskName } from '../components/AskName'
import { ROLES, ROLE_WORDS, count } from '../words'
import { COLOUR_ROLES, groupOf } from './correction'
import { RemoveMaps } from './RemoveMaps'
import { labels } from '../words/maps'

/** What can be done with several maps at once; each is one step to undo. */
export function ChosenBar({
  names,
  maps,
  clear,
}: {
  names: string[]
  maps: BoardMap[]
  clear: () => void
}) {
  const edit = useEdit()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [naming, setNaming] = useState(false)
  const [removing, setRemoving] = useState(false)
  const chosen = maps.filter((map) => names.includes(map.name))
  const sayRole = (role: Role) => {
    setAnchor(null)
    const edits: Edit[] = chosen.map((map) => ({
      kind: 'set-map',
      maps: [map.name],
      roles: role === 'unknown' ? {} : ({ [groupOf(map)]: role } as Record<string, Role>),
      encoding: COLOUR_ROLES.includes(role) && !map.is_float ? 'srgb' : 'linear',
    }))
    void edit(...edits)
  }
  return (
    <div className="bar chosen" role="toolbar" aria-label={labels.chosenMaps}>
      <b>{labels.chosen(count(names.length, 'map'))}</b>
      <Button aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        {labels.theyHold}
      </Button>
      <Button onClick={() => setNaming(true)}>{labels.putIntoASet}</Button>
      <Button onClick={() => void edit({ kind: 'set-map', maps: names })}>
        {labels.confirmAll}
      </Button>
      <Button onClick={() => setRemoving(true)}>{labels.remove}</Button>
      <span className="grow" />
      <Button variant="text" onClick={clear}>
        {labels.clearSelection}
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {ROLES.map((role) => (
          <MenuItem key={role} onClick={() => sayRole(role)}>
            {ROLE_WORDS[role]}
          </MenuItem>
        ))}
      </Menu>
      {removing && <RemoveMaps names={names} close={() => setRemoving(false)} done={clear} />}
      {naming && (
        <AskName
          title={labels.putTheChosenMapsIntoA}
          label={labels.setName}
          initial={chosen[0]?.set ?? ''}
          hint={labels.aSetOfThatNameIs}
          close={() => setNaming(false)}
          done={(set) => void edit({ kind: 'set-map', maps: names, set })}
        />
      )}
    </div>
  )
}
