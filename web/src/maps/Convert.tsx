import { styled } from '@mui/material/styles'
import { Picture } from '../components/Picture'
import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'

import { useStartJob } from '../api/jobs'
import { useConversion } from '../api/queries'
import type { Conversion } from '../api/types'
import { labels } from '../words/maps'

const ConvertBox = styled('div')({
  display: 'flex',
  gap: 24,
  paddingBottom: 12,
})

const WORDS: Record<string, string> = {
  diffuse: labels.diffuse,
  specular: labels.specular,
  gloss: labels.gloss,
  base_color: labels.baseColour,
  metallic: labels.metallic,
  roughness: labels.roughness,
}

/** What a set of the specular workflow becomes, seen before anything is made. */
export function Convert({ set, close }: { set: string; close: () => void }) {
  const found = useConversion(set)
  const { startConvert } = useStartJob()
  const convert = () => {
    startConvert.mutate(set)
    close()
  }
  return (
    <Dialog open onClose={close} maxWidth="md">
      <DialogTitle>{labels.convertFromTheSpecularWorkflowOf(set)}</DialogTitle>
      <DialogContent>
        {found.isError && <p className="brick">! {found.error.message}</p>}
        {!found.data && !found.isError && <p className="quiet">{labels.workingItOut}</p>}
        {found.data && (
          <>
            <ConvertBox>
              <Parts title={labels.before} parts={found.data.before} />
              <Parts title={labels.after} parts={found.data.after} />
            </ConvertBox>
            <Box component="p" className="small" sx={{ maxWidth: 620 }}>
              {labels.turnedBackAgainAColouredSpecular(
                Object.entries(found.data.way_back)
                  .map(([name, [largest, mean]]) =>
                    labels.differsByOf255StepsIn(name, mean.toFixed(1), largest.toFixed(0)),
                  )
                  .join('; '),
              )}
            </Box>
            <p className="small">{labels.threeNewMapsAndOneNew}</p>
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" disabled={!found.data} onClick={convert}>
          {labels.convert}
        </Button>
      </DialogActions>
    </Dialog>
  )
}

function Parts({ title, parts }: { title: string; parts: Conversion['before'] }) {
  return (
    <section aria-label={title}>
      <h2>{title}</h2>
      <Box className="row" sx={{ gap: 1, alignItems: 'flex-start' }}>
        {parts.map((part) => (
          <Box component="figure" key={part.name} sx={{ margin: 0 }}>
            <Picture
              className="thumb"
              src={part.picture}
              width={120}
              height={120}
              alt={`${WORDS[part.name]} ${title.toLowerCase()}`}
            />
            <figcaption className="small">
              {WORDS[part.name]}
              <br />
              <span className="mono">
                {labels.mean(part.low.toFixed(2), part.high.toFixed(2), part.mean.toFixed(2))}
              </span>
            </figcaption>
          </Box>
        ))}
      </Box>
    </section>
  )
}
