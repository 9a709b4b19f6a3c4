import { Button, Menu, MenuItem, TextField } from '@mui/material'
import { useState } from 'react'

import type { By, MeshFacts } from '../api/types'
import { AskName } from '../components/AskName'
import { count } from '../words'
import type { UvAction } from './EditUvs'

const BY: { key: By; words: string }[] = [
  { key: 'part', words: 'connected part' },
  { key: 'island', words: 'UV island' },
  { key: 'side', words: 'even side' },
  { key: 'face', words: 'single face' },
]

interface Props {
  mesh: MeshFacts
  by: By
  setBy: (by: By) => void
  picked: PickedFaces | null
  clear: () => void
  move: (slot: string, at: number[]) => void
  /** Do something with the UVs of the picked faces. */
  edit: (action: UvAction, at: number[]) => void
  close: () => void
}

/** Faces that were chosen on the stage, all of one slot. */
export interface PickedFaces {
  slot: string
  faces: Set<number>
}

/** What can be done with faces that are picked on the stage. */
export function PickBar({ mesh, by, setBy, picked, clear, move, edit, close }: Props) {
  const [naming, setNaming] = useState(false)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const at = picked ? [...picked.faces].sort((a, b) => a - b) : []
  return (
    <div className="pick-bar" role="toolbar" aria-label="Picked faces">
      <TextField
        select
        label="A click picks a"
        value={by}
        onChange={(event) => setBy(event.target.value as By)}
        sx={{ width: 126 }}
      >
        {BY.map(({ key, words }) => (
          <MenuItem key={key} value={key}>
            {words}
          </MenuItem>
        ))}
      </TextField>
      <span className="small" style={{ order: -1, flexBasis: '100%' }}>
        {picked && at.length > 0
          ? `${count(at.length, 'face')} of ${picked.slot}`
          : 'Click the mesh; Shift adds.'}
      </span>
      <Button disabled={at.length === 0} onClick={() => setNaming(true)}>
        New slot…
      </Button>
      <TextField
        select
        label="Into slot"
        value=""
        disabled={at.length === 0}
        onChange={(event) => move(event.target.value, at)}
        sx={{ width: 96 }}
      >
        {mesh.slots
          .filter((slot) => slot.name !== picked?.slot)
          .map((slot) => (
            <MenuItem key={slot.name} value={slot.name}>
              {slot.name}
            </MenuItem>
          ))}
      </TextField>
      <Button
        disabled={at.length === 0}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        With them…
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {(
          [
            ['move', 'Move, turn or mirror their UVs…'],
            ['palette', 'Put them on a palette square…'],
            ['mask', 'Make a mask of them…'],
          ] as const
        ).map(([action, words]) => (
          <MenuItem
            key={words}
            onClick={() => {
              setAnchor(null)
              edit(action, at)
            }}
          >
            {words}
          </MenuItem>
        ))}
      </Menu>
      <span className="grow" />
      <Button variant="text" sx={{ minWidth: 0 }} disabled={at.length === 0} onClick={clear}>
        None
      </Button>
      <Button variant="text" sx={{ minWidth: 0 }} onClick={close}>
        Done
      </Button>
      {naming && picked && (
        <AskName
          title="Make a slot of the picked faces"
          label="Slot name"
          initial={`${picked.slot}_2`}
          close={() => setNaming(false)}
          done={(name) => move(name, at)}
        />
      )}
    </div>
  )
}
