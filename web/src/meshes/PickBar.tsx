import { styled } from '@mui/material/styles'
import { Box, Button, Menu, MenuItem, TextField } from '@mui/material'
import { useState } from 'react'

import type { MeshFacts } from '../api/types'
import { AskName } from '../components/AskName'
import { count } from '../words'
import type { UvAction } from './EditUvs'
import type { PickTool, PickedFaces } from './usePickedFaces'
import { labels } from '../words/meshes'

const PickBarBox = styled('div')({
  display: 'flex',
  alignItems: 'center',
  flexWrap: 'wrap',
  gap: 8,
  flex: 'none',
  padding: '8px 10px',
  borderTop: '1px solid var(--line)',
  background: 'var(--surface)',
})

const TOOLS: { key: PickTool; words: string }[] = [
  { key: 'part', words: labels.aConnectedPart },
  { key: 'island', words: labels.aUvIsland },
  { key: 'side', words: labels.anEvenSide },
  { key: 'face', words: labels.aSingleFace },
  { key: 'box', words: labels.whatABoxHolds },
  { key: 'brush', words: labels.whatABrushCovers },
]

interface Props {
  mesh: MeshFacts
  tool: PickTool
  setTool: (tool: PickTool) => void
  picked: PickedFaces
  clear: () => void
  /** Give the picked faces to a slot, a new one or one that is there. */
  move: (slot: string) => void
  /** Do something with the picked faces of one slot. */
  edit: (action: UvAction, slot: string, at: number[]) => void
  close: () => void
}

/** What can be done with faces that are picked on the stage. */
export function PickBar({ mesh, tool, setTool, picked, clear, move, edit, close }: Props) {
  const [naming, setNaming] = useState(false)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const slots = Object.keys(picked)
  const number = Object.values(picked).reduce((sum, faces) => sum + faces.size, 0)
  const [only] = slots
  return (
    <PickBarBox role="toolbar" aria-label={labels.pickedFaces}>
      <TextField
        select
        label={labels.pickedIs}
        value={tool}
        onChange={(event) => setTool(event.target.value as PickTool)}
        sx={{ width: 142 }}
      >
        {TOOLS.map(({ key, words }) => (
          <MenuItem key={key} value={key}>
            {words}
          </MenuItem>
        ))}
      </TextField>
      <Box component="span" className="small" sx={{ order: -1, flexBasis: '100%' }}>
        {number > 0
          ? labels.ofOf(count(number, 'face'), slots.join(', '))
          : labels.shiftAdds(
              tool === 'box'
                ? labels.drawABoxRoundFacesThat
                : tool === 'brush'
                  ? labels.drawOverFacesThatAreSeen
                  : labels.clickTheMesh,
            )}
      </Box>
      <Button disabled={number === 0} onClick={() => setNaming(true)}>
        {labels.newSlot}
      </Button>
      <TextField
        select
        label={labels.intoSlot}
        value=""
        disabled={number === 0}
        onChange={(event) => move(event.target.value)}
        sx={{ width: 96 }}
      >
        {mesh.slots
          .filter((slot) => slots.length !== 1 || slot.name !== only)
          .map((slot) => (
            <MenuItem key={slot.name} value={slot.name}>
              {slot.name}
            </MenuItem>
          ))}
      </TextField>
      <Button
        disabled={slots.length !== 1}
        title={slots.length > 1 ? labels.ofOneSlotAtATime : undefined}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {labels.withThem}
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {(
          [
            ['move', labels.moveTurnOrMirrorTheirUvs],
            ['palette', labels.snapToPaletteSwatch],
            ['mask', labels.makeAMaskOfThem],
          ] as const
        ).map(([action, words]) => (
          <MenuItem
            key={words}
            onClick={() => {
              setAnchor(null)
              edit(
                action,
                only!,
                [...picked[only!]!].sort((a, b) => a - b),
              )
            }}
          >
            {words}
          </MenuItem>
        ))}
      </Menu>
      <span className="grow" />
      <Button variant="text" sx={{ minWidth: 0 }} disabled={number === 0} onClick={clear}>
        {labels.none}
      </Button>
      <Button variant="text" sx={{ minWidth: 0 }} onClick={close}>
        {labels.doneTitle}
      </Button>
      {naming && only && (
        <AskName
          title={labels.makeASlotOfThePicked}
          label={labels.slotName}
          initial={`${only}_2`}
          close={() => setNaming(false)}
          done={move}
        />
      )}
    </PickBarBox>
  )
}
