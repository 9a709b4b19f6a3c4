import { styled } from '@mui/material/styles'
import { Button } from '@mui/material'
import { useState } from 'react'

import { useStartJob } from '../api/jobs'
import type { MeshFacts } from '../api/types'
import { count } from '../words'
import { labels } from '../words/meshes'

const Brings = styled('section')({
  margin: '10px 14px 4px',
  padding: '8px 12px',
  border: '1px solid var(--line)',
  borderRadius: 3,
  background: 'var(--surface)',
  '& .row': {
    display: 'flex',
    alignItems: 'center',
    gap: 8,
  },
})

interface Props {
  mesh: MeshFacts
}

/** What a mesh file brings along: its materials, offered while its slots are bare, and what of them cannot be kept exactly. */
export function FromMeshFile({ mesh }: Props) {
  const { startInside } = useStartJob()
  const [open, setOpen] = useState(false)
  const { maps, materials, not_taken: left } = mesh.inside
  const bare = mesh.slots.filter((slot) => !mesh.assigned[slot.name]).length
  if (materials === 0 || bare === 0) return null
  return (
    <Brings aria-label={labels.whatTheFileBringsAlong}>
      <div className="row">
        <span className="grow">
          {labels.theFileBrings} {count(materials, 'material')}
          {maps > 0 && labels.with(count(maps, 'map'))} {labels.along}
        </span>
        {left.length > 0 && (
          <Button variant="text" aria-expanded={open} onClick={() => setOpen(!open)}>
            {labels.notKept(count(left.length, 'thing'))}
          </Button>
        )}
        <Button
          variant="contained"
          disabled={startInside.isPending}
          onClick={() => startInside.mutate(mesh.name)}
        >
          {labels.useItsMaterials}
        </Button>
      </div>
      {open && (
        <ul className="evidence">
          {left.map((line) => (
            <li key={line}>
              <span className="amber">△</span>
              <span>{line}</span>
            </li>
          ))}
        </ul>
      )}
    </Brings>
  )
}
