import { Autocomplete, Dialog, TextField } from '@mui/material'
import { useNavigate } from 'react-router'

import type { Project } from '../api/types'
import { labels } from '../words/shell'

interface Place {
  words: string
  kind: string
  to: string
}

/** Search for anything in the project, and go there. */
export function Find({ project, close }: { project: Project; close: () => void }) {
  const navigate = useNavigate()
  const { maps = {}, materials = {}, meshes = {} } = project.document
  const places: Place[] = [
    ...['maps', 'materials', 'meshes', 'scene', 'checks', 'export'].map((screen) => ({
      words: screen,
      kind: 'screen',
      to: screen,
    })),
    ...Object.keys(maps).map((name) => ({
      words: name,
      kind: 'map',
      to: `maps/${encodeURIComponent(name)}`,
    })),
    ...Object.keys(materials).map((name) => ({
      words: name,
      kind: 'material',
      to: `materials/${encodeURIComponent(name)}`,
    })),
    ...Object.entries(meshes).flatMap(([name, mesh]) => [
      { words: name, kind: 'mesh', to: `meshes/${encodeURIComponent(name)}` },
      ...Object.keys(mesh.slots ?? {}).map((slot) => ({
        words: `${name} · ${slot}`,
        kind: 'slot',
        to: `meshes/${encodeURIComponent(name)}?slot=${encodeURIComponent(slot)}`,
      })),
    ]),
  ]
  return (
    <Dialog
      open
      onClose={close}
      fullWidth
      maxWidth="sm"
      aria-label={labels.find}
      slotProps={{ paper: { sx: { alignSelf: 'flex-start', mt: '72px', p: 1.5 } } }}
    >
      <Autocomplete
        openOnFocus
        autoHighlight
        options={places}
        groupBy={(place) => place.kind}
        getOptionLabel={(place) => place.words}
        getOptionKey={(place) => `${place.kind}:${place.to}`}
        onClose={(_, reason) => reason === 'escape' && close()}
        onChange={(_, place) => {
          if (!place) return
          close()
          void navigate(`/projects/${project.id}/${place.to}`)
        }}
        renderInput={(params) => (
          <TextField {...params} autoFocus label={labels.aMapMaterialMeshOrSlot} />
        )}
      />
    </Dialog>
  )
}
