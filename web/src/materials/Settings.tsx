import {
  Autocomplete,
  Button,
  Checkbox,
  FormControlLabel,
  MenuItem,
  Popover,
  TextField,
} from '@mui/material'

import { useEdit } from '../api/changes'
import { useProject } from '../api/queries'
import type { AlphaMode, Edit, Sheet } from '../api/types'
import { ALPHA_WORDS, sizesWith } from '../words'
import { NumberField } from '../components/NumberField'
import { Placing } from './Placing'
import { labels } from '../words/materials'

const TAGS = ['metal', 'stone', 'glass', 'wood', 'cloth', 'leather', 'plastic']

/** Alpha mode, sides, tiling, filter and tag of a material. Each change is saved as it is made. */
export function Settings({
  name,
  sheet,
  anchor,
  close,
}: {
  name: string
  sheet: Sheet
  anchor: HTMLElement
  close: () => void
}) {
  const edit = useEdit()
  const { stage } = sheet
  const folder = useProject().data?.document.materials?.[name]?.folder ?? ''
  const derived = sheet.chain.length > 1
  const set = (setting: Extract<Edit, { kind: 'set-setting' }>['setting'], value: unknown) =>
    void edit({ kind: 'set-setting', material: name, setting, value })
  const own = (setting: string) => derived && sheet.own_settings.includes(setting)
  const back = (setting: Parameters<typeof set>[0]) =>
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
      <div style={{ display: 'grid', gap: 14, padding: 16, width: 360 }}>
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
        <TextField
          label={labels.folderInTheList}
          defaultValue={folder}
          onBlur={(event) =>
            event.target.value.trim() !== folder && set('folder', event.target.value.trim() || null)
          }
          onKeyDown={(event) => event.key === 'Enter' && (event.target as HTMLInputElement).blur()}
        />
      </div>
    </Popover>
  )
}
