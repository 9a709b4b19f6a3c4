import {
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
      link.download = `${name} scene.png`
      link.click()
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
      close()
    } catch (problem) {
      say(problem as Error)
    }
  }
  return (
    <Dialog open onClose={close} fullWidth maxWidth="xs">
      <DialogTitle>Save a picture</DialogTitle>
      <DialogContent>
        <p className="small" style={{ marginBottom: 14 }}>
          What is seen now, as PNG; above and below as now, and as wide as the picture is.
        </p>
        <div className="two">
          <NumberField
            label="Width, pixels"
            value={size.width}
            limits={[16, MOST]}
            done={(width) => setSize({ ...size, width: Math.round(width) })}
          />
          <NumberField
            label="Height, pixels"
            value={size.height}
            limits={[16, MOST]}
            done={(height) => setSize({ ...size, height: Math.round(height) })}
          />
        </div>
        <TextField
          select
          fullWidth
          margin="normal"
          label="Background"
          value={paper}
          onChange={(event) => setPaper(event.target.value as keyof typeof PAPER)}
        >
          <MenuItem value="grey">18 % grey</MenuItem>
          <MenuItem value="black">black</MenuItem>
          <MenuItem value="white">white</MenuItem>
          <MenuItem value="none">transparent</MenuItem>
        </TextField>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Cancel</Button>
        <Button variant="contained" disabled={!hand} onClick={() => void save()}>
          Save
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
      <DialogTitle>Save the scene as glTF</DialogTitle>
      <DialogContent>
        <p className="small" style={{ marginBottom: 14 }}>
          One GLB: every mesh once, drawn wherever it stands, with its ground. It holds what is
          drawn, as it is meant; skeletons and animations stay in the meshes’ own packages, the sun
          and the light here.
        </p>
        <TextField
          select
          fullWidth
          label="Textures, at most"
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
        <Button onClick={close}>Cancel</Button>
        <Button
          variant="contained"
          onClick={() => {
            startScene.mutate(size)
            close()
          }}
        >
          Save
        </Button>
      </DialogActions>
    </Dialog>
  )
}
