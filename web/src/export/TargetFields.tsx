import { Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material'

import type { Profile } from '../api/types'

interface Props {
  profile: Profile
  change: (part: Partial<Profile>) => void
}

/** What a target says besides its files. */
export function TargetFields({ profile, change }: Props) {
  const mesh = (part: Partial<NonNullable<Profile['mesh']>>) =>
    change({
      mesh: {
        up: 'y',
        unit: 'm',
        vertex_colours: false,
        containers: 'each',
        uv_transform: 'carried',
        ...profile.mesh,
        ...part,
      },
    })
  const text = (label: string, value: string, set: (value: string) => void, help = '') => (
    <TextField
      label={label}
      value={value}
      helperText={help}
      onChange={(event) => set(event.target.value)}
    />
  )
  const pick = <T extends string>(
    label: string,
    value: T,
    options: readonly (readonly [T, string])[],
    set: (value: T) => void,
  ) => (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => set(event.target.value as T)}
    >
      {options.map(([key, words]) => (
        <MenuItem key={key} value={key}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  )
  return (
    <>
      <div className="fields three">
        {text('Title', profile.title, (title) => change({ title }))}
        {text('Id', profile.id, (id) => change({ id }), 'small letters, digits and -')}
        {text(
          'Names of files',
          profile.name_rule ?? '',
          (name_rule) => change({ name_rule }),
          '{material} {suffix} {target}',
        )}
        {pick(
          'Container',
          profile.container,
          [
            ['glb', 'one GLB'],
            ['gltf', 'glTF and files'],
            ['gltf-embedded', 'one glTF, all in its text'],
            ['usdz', 'one USDZ'],
            ['loose', 'mesh and loose maps'],
          ],
          (container) => change({ container }),
        )}
        {pick(
          'Green of normals',
          profile.normal_y ?? '+',
          [
            ['+', 'points up (+Y)'],
            ['-', 'points down (−Y)'],
          ],
          (normal_y) => change({ normal_y }),
        )}
        {pick(
          'Workflow',
          profile.workflow ?? 'metallic',
          [
            ['metallic', 'metallic and roughness'],
            ['specular', 'diffuse and specular'],
          ],
          (workflow) => change({ workflow }),
        )}
        {text(
          'Longest side',
          profile.size_limit ? String(profile.size_limit) : '',
          (side) => change({ size_limit: Number(side) || null }),
          'texels; empty for no limit',
        )}
        {pick(
          'Powers of two',
          profile.resize ?? 'none',
          [
            ['none', 'sizes stay'],
            ['down', 'to the next smaller'],
            ['up', 'to the next larger'],
          ],
          (resize) => change({ resize }),
        )}
        {text(
          'Memory budget',
          profile.budget ? String(profile.budget) : '',
          (budget) => change({ budget: Number(budget) || null }),
          'MB of textures; empty for none',
        )}
        {text(
          'Halved',
          String(profile.halve ?? 0),
          (halve) => change({ halve: Number(halve) || 0 }),
          'so many times',
        )}
        {text(
          'Padding round islands',
          String(profile.padding ?? 0),
          (padding) => change({ padding: Number(padding) || 0 }),
          'texels; 0 leaves maps as they are',
        )}
        {pick(
          'Containers',
          profile.mesh?.containers ?? 'each',
          [
            ['each', 'one for each mesh'],
            ['one', 'one for all, as they are drawn'],
          ],
          (containers) => mesh({ containers }),
        )}
        {pick(
          'UV transforms',
          profile.mesh?.uv_transform ?? 'carried',
          [
            ['carried', 'said beside the material'],
            ['baked', 'worked into the UVs'],
          ],
          (uv_transform) => mesh({ uv_transform }),
        )}
        {profile.container === 'usdz' &&
          pick(
            'Up',
            profile.mesh?.up ?? 'y',
            [
              ['y', 'y'],
              ['z', 'z'],
            ],
            (up) => mesh({ up }),
          )}
        {profile.container === 'usdz' &&
          pick(
            'Lengths',
            profile.mesh?.unit ?? 'm',
            [
              ['m', 'metres'],
              ['cm', 'centimetres'],
            ],
            (unit) => mesh({ unit }),
          )}
      </div>
      <div className="row wrap">
        {(profile.container === 'loose' ||
          profile.mips ||
          profile.files.some((file) => file.format === 'ktx2')) && (
          <FormControlLabel
            label="KTX2 files bring mips"
            control={
              <Checkbox
                checked={profile.mips ?? false}
                onChange={(event) => change({ mips: event.target.checked })}
              />
            }
          />
        )}
        {['glb', 'gltf', 'gltf-embedded'].includes(profile.container) && (
          <FormControlLabel
            label="Tints go as factors beside shared maps"
            control={
              <Checkbox
                checked={profile.tints === 'carried'}
                onChange={(event) => change({ tints: event.target.checked ? 'carried' : 'baked' })}
              />
            }
          />
        )}
        <FormControlLabel
          label="Vertex colours go along"
          control={
            <Checkbox
              checked={profile.mesh?.vertex_colours ?? false}
              onChange={(event) => mesh({ vertex_colours: event.target.checked })}
            />
          }
        />
      </div>
      <FormControlLabel
        label="The engine compresses textures on import (the trial tells what that loses)"
        control={
          <Checkbox
            checked={profile.import?.compression === 'blocks'}
            onChange={(event) =>
              change({
                import: {
                  settings_from: 'package',
                  ...profile.import,
                  compression: event.target.checked ? 'blocks' : 'none',
                },
              })
            }
          />
        }
      />
    </>
  )
}
