import {
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
} from '@mui/material'
import { useState } from 'react'

import { useStartJob } from '../api/jobs'
import { useProject } from '../api/queries'
import { feedOf } from '../api/optimistic'
import { NumberField } from '../components/NumberField'
import { useView } from '../viewport/view'
import { labels } from '../words/materials'

/** A normal map of what feeds the height: how deep that is, and what becomes of a normal that is there. */
export function HeightToNormal({ material, close }: { material: string; close: () => void }) {
  const { startNormal } = useStartJob()
  const drawn = useView((state) => state.depth)
  const document = useProject().data?.document
  const fed = document && feedOf(document, material, 'normal')?.map
  const [percent, setPercent] = useState(100 * drawn || 4)
  const [over, setOver] = useState(true)
  return (
    <Dialog open onClose={close} maxWidth="xs" fullWidth>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          startNormal.mutate({ material, depth: percent / 100, over: over && fed != null })
          close()
        }}
      >
        <DialogTitle>{labels.makeANormalOfTheHeight}</DialogTitle>
        <DialogContent sx={{ display: 'grid', gap: 1, pt: '8px !important' }}>
          <NumberField
            label={labels.depthOfTheWidth}
            value={percent}
            limits={[0.01, 100]}
            done={setPercent}
          />
          {fed != null && (
            <FormControlLabel
              label={labels.asDetailOverWhichStays(fed)}
              control={
                <Checkbox checked={over} onChange={(event) => setOver(event.target.checked)} />
              }
            />
          )}
          <p className="small">{labels.fromBlackToWhiteIsSo}</p>
        </DialogContent>
        <DialogActions>
          <Button onClick={close}>{labels.cancel}</Button>
          <Button type="submit" variant="contained">
            {labels.make}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}
