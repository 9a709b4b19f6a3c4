import {
  Box,
  Autocomplete,
  Button,
  Checkbox,
  FormControlLabel,
  MenuItem,
  Popover,
  TextField,
} from '@mui/material'
import type { ReactNode } from 'react'

import { useEdit } from '../api/changes'
import { useProject } from '../api/queries'
import type { AlphaMode, Edit, Sheet } from '../api/types'
import { ALPHA_WORDS, sizesWith } from '../words'
import { NumberField } from '../components/NumberField'
import { Placing } from './Placing'
import { labels } from '../words/materials'

const TAGS = ['metal', 'stone', 'glass', 'wood', 'cloth', 'leather', 'plastic']

type Setting = Extract<Edit, { kind: 'set-setting' }>['setting']
type Set = (setting: Setting, value: unknown) => void
type Back = (setting: Setting) => ReactNode

interface Props {
  name: string
  sheet: Sheet
  anchor: HTMLElement
  close: () => void
}

/** Alpha mode, sides, tiling, filter and tag of a material. Each change is saved as it is made. */
export function Settings({ name, sheet, anchor, close }: Props) {
  const edit = useEdit()
  const { stage } = sheet
  const derived = sheet.chain.length > 1
  const set: Set = (setting, value) =>
    void edit({ kind: 'set-setting', material: name, setting, value })
  const own = (setting: string) => derived && sheet.own_settings.includes(setting)
  const back: Back = (setting) =>
    own(setting) && (
      <Button variant="text" onClick={() => set(setting, null)}>
        {labels.resetToInherited}
      </Button>
    )
  return (
    <Popover
      open
      anchorEl={anchor}
      onClose={close}
      anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      slotProps={{ paper: { role: 'dialog', 'aria-label': labels.settingsOf(name) } as never }}
    >
      <Box sx={{ display: 'grid', gap: 1.75, padding: 2, width: 360 }}>
        <Alpha sheet={sheet} set={set} back={back} />
        <div className="row">
          <FormControlLabel
            label={labels.doubleSided}
            control={
              <Checkbox
                checked={stage.double_sided}
                onChange={(event) => set('double_sided', event.target.checked)}
              />
            }
          />
          {back('double_sided')}
        </div>
        <Placing uv={stage.uv} wrap={stage.wrap} set={set} back={back('uv')} />
        <Shading sheet={sheet} set={set} back={back} />
        <Tags sheet={sheet} set={set} back={back} />
        <Folder name={name} set={set} />
      </Box>
    </Popover>
  )
}

interface Part {
  sheet: Sheet
  set: Set
  back: Back
}

function Alpha({ sheet: { stage }, set, back }: Part) {
  return (
    <div className="row">
      <TextField
        select
        fullWidth
        label={labels.alphaMode}
        value={stage.alpha_mode}
        onChange={(event) => set('alpha_mode', event.target.value)}
      >
        {(Object.keys(ALPHA_WORDS) as AlphaMode[]).map((mode) => (
          <MenuItem key={mode} value={mode}>
            {mode}: {ALPHA_WORDS[mode]}
          </MenuItem>
        ))}
      </TextField>
      {stage.alpha_mode === 'mask' && (
        <NumberField
          label={labels.cutOff}
          value={stage.alpha_cutoff}
          done={(value) => set('alpha_cutoff', Math.max(0, value))}
        />
      )}
      {back('alpha_mode')}
    </div>
  )
}

function Shading({ sheet, set, back }: Part) {
  const { stage } = sheet
  return (
    <>
      <div className="row">
        <TextField
          select
          fullWidth
          label={labels.filter}
          value={stage.filter}
          onChange={(event) => set('filter', event.target.value)}
        >
          <MenuItem value="linear">{labels.linear}</MenuItem>
          <MenuItem value="nearest">{labels.nearestForPalettes}</MenuItem>
        </TextField>
        <TextField
          select
          fullWidth
          label={labels.shading}
          value={stage.shading}
          onChange={(event) => set('shading', event.target.value)}
        >
          <MenuItem value="standard">{labels.standardLit}</MenuItem>
          <MenuItem value="unlit">{labels.unlitBaseColourAsItIs}</MenuItem>
        </TextField>
      </div>
      <div className="row">
        <TextField
          select
          fullWidth
          label={labels.workflow}
          value={sheet.workflow}
          helperText={sheet.workflow === 'specular' ? labels.convertedTexelByTexelForEvery : ''}
          onChange={(event) => set('workflow', event.target.value)}
        >
          <MenuItem value="metallic">{labels.metallicBaseColourAndMetallic}</MenuItem>
          <MenuItem value="specular">{labels.specularDiffuseAndF0}</MenuItem>
        </TextField>
        {back('workflow')}
      </div>
    </>
  )
}

function Tags({ sheet, set, back }: Part) {
  return (
    <>
      <div className="row">
        <Autocomplete
          freeSolo
          fullWidth
          options={TAGS}
          value={sheet.surface_tag ?? ''}
          onChange={(_, value) => set('surface_tag', value || null)}
          onBlur={(event) => {
            const typed = (event.target as HTMLInputElement).value.trim()
            if (typed !== (sheet.surface_tag ?? '')) set('surface_tag', typed || null)
          }}
          renderInput={(params) => <TextField {...params} label={labels.surfaceTag} />}
        />
      </div>
      <div className="row">
        <TextField
          select
          fullWidth
          label={labels.longestSideOfItsMapsOn}
          value={sheet.size_limit ?? 0}
          onChange={(event) => set('size_limit', Number(event.target.value) || null)}
        >
          {sizesWith(sheet.size_limit).map((size) => (
            <MenuItem key={size} value={size}>
              {size ? labels.texels(size) : labels.asLargeAsTheyAre}
            </MenuItem>
          ))}
        </TextField>
        {back('size_limit')}
      </div>
    </>
  )
}

function Folder({ name, set }: { name: string; set: Set }) {
  const folder = useProject().data?.document.materials?.[name]?.folder ?? ''
  return (
    <TextField
      label={labels.folderInTheList}
      defaultValue={folder}
      onBlur={(event) =>
        event.target.value.trim() !== folder && set('folder', event.target.value.trim() || null)
      }
      onKeyDown={(event) => event.key === 'Enter' && (event.target as HTMLInputElement).blur()}
    />
  )
}
