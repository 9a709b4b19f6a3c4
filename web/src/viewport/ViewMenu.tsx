import { SliderBox } from '../components/styles'
import {
  Box,
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
import { labels } from '../words/viewport'

const BACKDROPS: Record<Backdrop, string> = { grey: labels.grey18, black: 'black', white: 'white' }

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
    <SliderBox>
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
    </SliderBox>
  )
  return (
    <>
      <button
        aria-haspopup="dialog"
        title={labels.howTheStageLooksBrightnessTurn}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {labels.look}
      </button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'right' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': labels.displayTitle } as never }}
      >
        <Box sx={{ display: 'grid', gap: 0.75, padding: 1.75, width: 320 }}>
          {slide(labels.brightness, view.brightness, 0, 3, 0.1, ' ×', (brightness) =>
            view.set({ brightness }),
          )}
          {slide(labels.lightFrom, view.lightTurn, -180, 180, 5, '°', (lightTurn) =>
            view.set({ lightTurn }),
          )}
          {slide(labels.turning, view.speed, 0.5, 20, 0.5, ' /min', (speed) => view.set({ speed }))}
          {slide(labels.height, 100 * view.depth, 0, 20, 1, labels.percentDeep, (percent) =>
            view.set({ depth: percent / 100 }),
          )}
          <TextField
            select
            label={labels.background}
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
          {tick(labels.wireframe, view.wire, (wire) => view.set({ wire }))}
          {tick(labels.backFacesMarked, view.backs, (backs) => view.set({ backs }))}
          {tick(labels.checkerOneSquareATenthOf, view.checker, (checker) => view.set({ checker }))}
          {tick(labels.lampsThrowShadows, view.shadows, (shadows) => view.set({ shadows }))}
          {tick(labels.referenceChartBesideIt, view.chart, (chart) => view.set({ chart }))}
          {tick(labels.brightLightTonedDownToneMapping, view.toneMapped, (toneMapped) =>
            view.set({ toneMapped }),
          )}
          <PanoramaPick />
          <Button
            sx={{ justifySelf: 'start' }}
            title={labels.brightnessLightBackgroundAndMarksAs}
            onClick={() => view.set(USUAL)}
          >
            {labels.backToUsual}
          </Button>
        </Box>
      </Popover>
    </>
  )
}
