import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useQuery } from '@tanstack/react-query'

import { trySheet, useProjectId } from '../api/queries'
import type { BoardMap, Feed } from '../api/types'
import { Picture } from '../components/Picture'
import { PLAIN } from '../materials/feed'
import { labels } from '../words/maps'

interface Props {
  map: BoardMap
  channels: string
  close: () => void
}

/** A name that no material has: what is tried is not kept. */
const NOWHERE = 'compared'

const READINGS = [
  { words: labels.asRoughness, invert: false },
  { words: labels.asGloss, invert: true },
] as const

/** A map on the specimen, read as roughness and as gloss, which its pixels do not tell apart. Nothing is made. */
export function CompareGloss({ map, channels, close }: Props) {
  return (
    <Dialog open onClose={close} maxWidth="md">
      <DialogTitle>{labels.roughnessOrGloss(map.name)}</DialogTitle>
      <DialogContent>
        <Box className="row" sx={{ gap: 2 }}>
          {READINGS.map(({ words, invert }) => (
            <Box component="figure" key={words} sx={{ margin: 0 }}>
              <Read map={map} channels={channels} invert={invert} words={words} />
              <figcaption>{words}</figcaption>
            </Box>
          ))}
        </Box>
        <p className="small">{labels.onPlainGreyUnderBrightPoints}</p>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.close}</Button>
      </DialogActions>
    </Dialog>
  )
}

interface ReadProps extends Omit<Props, 'close'> {
  invert: boolean
  words: string
}

function Read({ map, channels, invert, words }: ReadProps) {
  const id = useProjectId()
  const picked = channels.length === 1 ? channels : 'r'
  const sheet = useQuery({
    queryKey: ['compared', id, map.sha256, picked, invert],
    queryFn: () =>
      trySheet(id, NOWHERE, {
        inputs: {
          base_color: { ...PLAIN, value: [0.3, 0.3, 0.3] },
          metallic: { ...PLAIN, value: 0 },
          roughness: { ...PLAIN, map: map.name, channels: picked as Feed['channels'], invert },
        },
      }),
  })
  if (sheet.isError) return <p className="brick">! {sheet.error.message}</p>
  if (!sheet.data) return <p className="quiet">{labels.rendering}</p>
  return (
    <Picture
      src={`/api/material-pictures/${sheet.data.stage.picture}/points/320.png`}
      width={320}
      height={320}
      alt={`${map.name} ${words}`}
    />
  )
}
