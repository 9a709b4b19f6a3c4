import { styled } from '@mui/material/styles'
import { MapThumb } from '../components/MapThumb'
import { Box, Button } from '@mui/material'

import { useEdit } from '../api/changes'
import { useSuggestions } from '../api/queries'
import type { Edit, MeshFacts } from '../api/types'
import { nameOfSet } from '../words'
import { isNameless } from './measures'
import { labels } from '../words/meshes'

const Candidate = styled('div')({
  display: 'flex',
  alignItems: 'center',
  gap: 12,
  padding: '8px 0',
  '& + &': {
    borderTop: '1px solid var(--line)',
  },
})

const SuggestionsBox = styled('section')({
  padding: '10px 14px',
  borderTop: '2px solid var(--line)',
})

/** Which maps belong to a slot, by its UV layout, with the reasons. */
export function Suggestions({ mesh, slot }: { mesh: MeshFacts; slot: string }) {
  const query = useSuggestions(mesh.name)
  const edit = useEdit()
  const candidates = query.data?.find((entry) => entry.slot === slot)?.candidates ?? []
  const wear = (set: string, material: string | null, tile: number | null) => {
    const assign = (name: string): Edit => ({
      kind: 'assign',
      mesh: mesh.name,
      slots: [slot],
      material: name,
    })
    if (material) void edit(assign(material))
    else {
      const name = nameOfSet(set, tile)
      void edit({ kind: 'material-from-set', set, name, tile }, assign(name))
    }
  }
  return (
    <SuggestionsBox className="suggestions" aria-label={labels.mapsFor(slot)}>
      <h2>
        {labels.whichMapsBelongTo} {slot}?{' '}
        <Box component="span" className="small" sx={{ fontWeight: 400 }}>
          {labels.comparedByLayout(isNameless(slot) ? labels.itsNameSaysNothing : '')}
        </Box>
      </h2>
      {!query.data && !query.isError && <p className="quiet">{labels.comparingLayoutsWithMaps}</p>}
      {query.isError && <p className="brick">! {query.error.message}</p>}
      {query.data && candidates.length === 0 && (
        <p className="quiet">{labels.thereIsNothingToCompareImport}</p>
      )}
      {candidates.map((candidate, index) => (
        <Candidate key={candidate.set} className="candidate">
          <MapThumb sha256={candidate.picture} side={56} />
          <div className="grow">
            <b>{candidate.set}</b>{' '}
            <span
              className={`chip ${index === 0 && candidate.score >= 0.85 ? 'own' : ''}`}
              title={labels.scoreHint}
            >
              {candidate.score.toFixed(2)}
            </span>
            <div className="small">{candidate.reasons.join(' · ')}</div>
            {candidate.tile === 0 && (
              <div className="small amber">{labels.theSlotLiesOnSeveralTiles}</div>
            )}
            {!!candidate.tile && <div className="small">{labels.tileOfIt(candidate.tile)}</div>}
          </div>
          <Button
            variant={index === 0 ? 'contained' : 'outlined'}
            disabled={
              candidate.tile === 0 ||
              (candidate.material !== null && mesh.assigned[slot] === candidate.material)
            }
            onClick={() => wear(candidate.set, candidate.material, candidate.tile)}
          >
            {candidate.material !== null && mesh.assigned[slot] === candidate.material
              ? labels.worn
              : labels.useIt}
          </Button>
        </Candidate>
      ))}
    </SuggestionsBox>
  )
}
