import { Box, Button, Checkbox, FormControlLabel, Popover } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import type { Project } from '../api/types'
import { labels } from '../words/export'

/** Which meshes and materials go into packages; what is left out stays in the project. */
export function Included({ project, unassigned }: { project: Project; unassigned: string[] }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const edit = useEdit()
  const { document } = project
  const out = {
    meshes: document.left_out?.meshes ?? [],
    materials: document.left_out?.materials ?? [],
  }
  const left = out.meshes.length + out.materials.length
  const list = (kind: 'meshes' | 'materials', heading: string) => (
    <Box component="fieldset" sx={{ border: 0, margin: 0, padding: 0, minWidth: 150 }}>
      <Box component="legend" className="small" sx={{ padding: 0 }}>
        {heading}
      </Box>
      {Object.keys(document[kind] ?? {}).map((name) => {
        const idle = kind === 'materials' && unassigned.includes(name)
        const goes = !out[kind].includes(name) && !idle
        return (
          <div key={name}>
            <FormControlLabel
              label={idle ? labels.onNoSlot(name) : name}
              control={
                <Checkbox
                  size="small"
                  checked={goes}
                  onChange={() =>
                    void edit({ kind: 'leave-out', what: kind, names: [name], out: goes })
                  }
                />
              }
            />
          </div>
        )
      })}
    </Box>
  )
  return (
    <>
      <Button
        aria-haspopup="dialog"
        title={labels.whichMeshesAndMaterialsAreExported}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {left ? <span className="amber">{labels.leftOut(left)}</span> : labels.included}
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'left' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': labels.included } as never }}
      >
        <Box sx={{ padding: 2 }}>
          <Box sx={{ display: 'flex', gap: 3, alignItems: 'start' }}>
            {list('meshes', labels.meshes)}
            {list('materials', labels.materials)}
          </Box>
          <Box className="row" sx={{ marginTop: 1 }}>
            <Button
              disabled={!left}
              onClick={() =>
                void edit(
                  ...(['meshes', 'materials'] as const)
                    .filter((what) => out[what].length > 0)
                    .map((what) => ({
                      kind: 'leave-out' as const,
                      what,
                      names: out[what],
                      out: false,
                    })),
                )
              }
            >
              {labels.everythingGoes}
            </Button>
            <span className="small">{labels.slotsOfAMaterialThatStays}</span>
          </Box>
        </Box>
      </Popover>
    </>
  )
}
