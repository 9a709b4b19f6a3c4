import { styled } from '@mui/material/styles'
import { Box } from '@mui/material'
import type { Package, TrialResult } from '../api/types'
import { Picture } from '../components/Picture'
import { labels } from '../words/export'

const RendersBox = styled('div')({
  display: 'grid',
  gridTemplateColumns: 'repeat(auto-fill, minmax(232px, 1fr))',
  gap: 10,
  marginTop: 8,
  '& figure': {
    margin: 0,
  },
})

/** Every mesh and every material as it was meant and as it arrived, under the same light. */
export function Renders({ pack, trial }: { pack: Package; trial: TrialResult }) {
  if (!trial.renders?.length) return null
  return (
    <Box component="section" aria-label={labels.renders} sx={{ padding: '12px 14px' }}>
      <h2>{labels.underTheSameLight}</h2>
      <p className="small">{labels.flipIsTheMeanDifferenceAn}</p>
      <RendersBox>
        {trial.renders.map((entry) => {
          const name = entry.material ?? entry.mesh
          const number = trial.pictures.findIndex(
            (picture) => picture.material === name && picture.input === `render ${entry.view}`,
          )
          return (
            <figure key={`${name} ${entry.view}`}>
              <Box className="row" sx={{ gap: 0.25 }}>
                {(['meant', 'arrived'] as const).map((what) => (
                  <Picture
                    key={what}
                    className="thumb"
                    src={`/api/packages/${pack.id}/pictures/${number}-${what}.png?of=${pack.made}`}
                    width={112}
                    height={112}
                    alt={
                      entry.material
                        ? labels.onTheSpecimen(name, what)
                        : labels.fromThe(name, entry.view, what)
                    }
                    loading="lazy"
                  />
                ))}
              </Box>
              <figcaption className="small">
                {name}, {entry.material ? labels.onTheSpecimenWord : entry.view} ·{' '}
                <span className={`mono ${entry.flip > 0.05 ? 'brick' : ''}`}>
                  {labels.flipSsim(entry.flip.toFixed(3), entry.ssim.toFixed(3))}
                </span>
              </figcaption>
            </figure>
          )
        })}
      </RendersBox>
    </Box>
  )
}
