import { Picture } from '../components/Picture'
import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'

import { useStartJob } from '../api/jobs'
import { useConversion } from '../api/queries'
import type { Conversion } from '../api/types'

const WORDS: Record<string, string> = {
  diffuse: 'Diffuse',
  specular: 'Specular',
  gloss: 'Gloss',
  base_color: 'Base colour',
  metallic: 'Metallic',
  roughness: 'Roughness',
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
      <DialogTitle>Convert {set} from the specular workflow</DialogTitle>
      <DialogContent>
        {found.isError && <p className="brick">! {found.error.message}</p>}
        {!found.data && !found.isError && <p className="quiet">Working it out …</p>}
        {found.data && (
          <>
            <div className="convert">
              <Parts title="Before" parts={found.data.before} />
              <Parts title="After" parts={found.data.after} />
            </div>
            <p className="small" style={{ maxWidth: 620 }}>
              Turned back again,{' '}
              {Object.entries(found.data.way_back)
                .map(
                  ([name, [largest, mean]]) =>
                    `${name} differs by ${mean.toFixed(1)} of 255 steps in the mean and ${largest.toFixed(0)} at most`,
                )
                .join('; ')}
              . A coloured specular on what is no metal cannot be kept: metallic-roughness has no
              place for it.
            </p>
            <p className="small">
              Three new maps and one new material are made; the old ones stay. One step to undo.
            </p>
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Cancel</Button>
        <Button variant="contained" disabled={!found.data} onClick={convert}>
          Convert
        </Button>
      </DialogActions>
    </Dialog>
  )
}

function Parts({ title, parts }: { title: string; parts: Conversion['before'] }) {
  return (
    <section aria-label={title}>
      <h2>{title}</h2>
      <div className="row" style={{ gap: 8, alignItems: 'flex-start' }}>
        {parts.map((part) => (
          <figure key={part.name} style={{ margin: 0 }}>
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
                {part.low.toFixed(2)}–{part.high.toFixed(2)}, mean {part.mean.toFixed(2)}
              </span>
            </figcaption>
          </figure>
        ))}
      </div>
    </section>
  )
}
