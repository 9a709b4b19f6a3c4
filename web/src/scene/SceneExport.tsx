import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
} from '@mui/material'
import { useState } from 'react'

import { useStartJob } from '../api/jobs'
import { useNotices } from '../api/notices'
import { NumberField } from '../components/NumberField'
import { useView } from '../viewport/view'
import { PAPER } from '../theme'
import { useCameraApi } from './cameraApi'
import { labels } from '../words/scene'

const MOST = 8192
const SIZES = [256, 512, 1024, 2048]

/** Saves a picture of what is seen. */
export function SaveStill({ name, close }: { name: string; close: () => void }) {
  const hand = useCameraApi((state) => state.hand)
  const say = useNotices((state) => state.say)
  const backdrop = useView((state) => state.backdrop)
  const [size, setSize] = useState({ width: 1920, height: 1080 })
  const [paper, setPaper] = useState<keyof typeof PAPER>(backdrop)
  const save = async () => {
    try {
      const blob = await hand!.still(size.width, size.height, PAPER[paper])
      const link = document.createElement('a')
      link.href = URL.createObjectURL(blob)
      link.download = labels.scenePng(name)
      link.click()
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
      close()
    } catch (problem) {
      say(problem as Error)
    }
  }
  return (
    <Dialog open onClose={close} fullWidth maxWidth="xs">
      <DialogTitle>{labels.saveAPicture}</DialogTitle>
      <DialogContent>
        <Box component="p" className="small" sx={{ marginBottom: 1.75 }}>
          {labels.whatIsSeenNowAsPng}
        </Box>
        <div className="two">
          <NumberField
            label={labels.widthPixels}
            value={size.width}
            limits={[16, MOST]}
            done={(width) => setSize({ ...size, width: Math.round(width) })}
          />
          <NumberField
            label={labels.heightPixels}
            value={size.height}
            limits={[16, MOST]}
            done={(height) => setSize({ ...size, height: Math.round(height) })}
          />
        </div>
        <TextField
          select
          fullWidth
          margin="normal"
          label={labels.background}
          value={paper}
          onChange={(event) => setPaper(event.target.value as keyof typeof PAPER)}
        >
          <MenuItem value="grey">{labels.grey18}</MenuItem>
          <MenuItem value="black">{labels.black}</MenuItem>
          <MenuItem value="white">{labels.white}</MenuItem>
          <MenuItem value="none">{labels.transparent}</MenuItem>
        </TextField>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" disabled={!hand} onClick={() => void save()}>
          {labels.save}
        </Button>
      </DialogActions>
    </Dialog>
  )
}

/** Saves the scene as one light-weight glTF. */
export function SaveScene({ close }: { close: () => void }) {
  const { startScene } = useStartJob()
  const [size, setSize] = useState(512)
  return (
    <Dialog open onClose={close} fullWidth maxWidth="xs">
      <DialogTitle>{labels.saveTheSceneAsGltf}</DialogTitle>
      <DialogContent>
        <Box component="p" className="small" sx={{ marginBottom: 1.75 }}>
          {labels.oneGlbEveryMeshOnceDrawn}
        </Box>
        <TextField
          select
          fullWidth
          label={labels.texturesAtMost}
          value={size}
          onChange={(event) => setSize(Number(event.target.value))}
        >
          {SIZES.map((side) => (
            <MenuItem key={side} value={side}>
              {side} × {side}
            </MenuItem>
          ))}
        </TextField>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button
          variant="contained"
          onClick={() => {
            startScene.mutate(size)
            close()
          }}
        >
          {labels.save}
        </Button>
      </DialogActions>
    </Dialog>
  )
}
