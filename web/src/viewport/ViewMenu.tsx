import {
  Button,
  Checkbox,
  FormControlLabel,
  MenuItem,
  Popover,
  Slider,
  TextField,
} from '@mui/material'
import { useState } from 'react'

import type { Backdrop } from './view'
import { PanoramaPick } from './PanoramaPick'
import { USUAL, useView } from './view'

const BACKDROPS: Record<Backdrop, string> = { grey: '18 % grey', black: 'black', white: 'white' }

/** What is seen on the stage beside the material: light, background, wires, backs, checker. */
export function ViewMenu() {
  const view = useView()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const tick = (label: string, checked: boolean, change: (on: boolean) => void) => (
    <FormControlLabel
      sx={{ ml: 0, '& .MuiFormControlLabel-label': { fontSize: 13 } }}
      label={label}
      control={
        <Checkbox
          sx={{ p: 0.25, mr: 0.5 }}
          checked={checked}
          onChange={(event) => change(event.target.checked)}
        />
      }
    />
  )
  const slide = (
    label: string,
    value: number,
    min: number,
    max: number,
    step: number,
    unit: string,
    change: (value: number) => void,
  ) => (
    <div className="slider">
      <span>{label}</span>
      <Slider
        aria-label={label}
        value={value}
        min={min}
        max={max}
        step={step}
        onChange={(_, next) => change(next as number)}
      />
      <span className="mono">
        {value.toFixed(step < 1 ? 1 : 0)}
        {unit}
      </span>
    </div>
  )
  return (
    <>
      <button
        aria-haspopup="dialog"
        title="How the stage looks: brightness, turn of the light, background, wires"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        Look…
      </button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'right' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': 'How the stage looks' } as never }}
      >
        <div style={{ display: 'grid', gap: 6, padding: 14, width: 320 }}>
          {slide('Brightness', view.brightness, 0, 3, 0.1, ' ×', (brightness) =>
            view.set({ brightness }),
          )}
          {slide('Light from', view.lightTurn, -180, 180, 5, '°', (lightTurn) =>
            view.set({ lightTurn }),
          )}
          {slide('Turning', view.speed, 0.5, 20, 0.5, ' /min', (speed) => view.set({ speed }))}
          {slide('Height', 100 * view.depth, 0, 20, 1, ' % deep', (percent) =>
            view.set({ depth: percent / 100 }),
          )}
          <TextField
            select
            label="Background"
            value={view.backdrop}
            onChange={(event) => view.set({ backdrop: event.target.value as Backdrop })}
            sx={{ my: 0.5 }}
          >
            {(Object.keys(BACKDROPS) as Backdrop[]).map((key) => (
              <MenuItem key={key} value={key}>
                {BACKDROPS[key]}
              </MenuItem>
            ))}
          </TextField>
          {tick('Wireframe', view.wire, (wire) => view.set({ wire }))}
          {tick('Back faces marked', view.backs, (backs) => view.set({ backs }))}
          {tick('Checker, one square a tenth of the UVs', view.checker, (checker) =>
            view.set({ checker }),
          )}
          {tick('Lamps throw shadows', view.shadows, (shadows) => view.set({ shadows }))}
          {tick('Reference chart beside it', view.chart, (chart) => view.set({ chart }))}
          {tick('Bright light toned down (tone mapping)', view.toneMapped, (toneMapped) =>
            view.set({ toneMapped }),
          )}
          <PanoramaPick />
          <Button
            sx={{ justifySelf: 'start' }}
            title="Brightness, light, background and marks as they were at first"
            onClick={() => view.set(USUAL)}
          >
            Back to usual
          </Button>
        </div>
      </Popover>
    </>
  )
}
