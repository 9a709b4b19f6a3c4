import { Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material'

import type { Profile } from '../api/types'
import { labels } from '../words/export'

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
        {text(labels.title, profile.title, (title) => change({ title }))}
        {text(labels.id, profile.id, (id) => change({ id }), labels.smallLettersDigitsAnd)}
        {text(
          labels.namesOfFiles,
          profile.name_rule ?? '',
          (name_rule) => change({ name_rule }),
          '{material} {suffix} {target}',
        )}
        {pick(
          labels.container,
          profile.container,
          [
            ['glb', labels.oneGlb],
            ['gltf', labels.gltfAndFiles],
            ['gltf-embedded', labels.oneGltfAllInItsText],
            ['usdz', labels.oneUsdz],
            ['loose', labels.meshAndLooseMaps],
          ],
          (container) => change({ container }),
        )}
        {pick(
          labels.greenOfNormals,
          profile.normal_y ?? '+',
          [
            ['+', labels.pointsUpY],
            ['-', labels.pointsDownY],
          ],
          (normal_y) => change({ normal_y }),
        )}
        {pick(
          labels.workflow,
          profile.workflow ?? 'metallic',
          [
            ['metallic', labels.metallicAndRoughness],
            ['specular', labels.diffuseAndSpecular],
          ],
          (workflow) => change({ workflow }),
        )}
        {text(
          labels.longestSide,
          profile.size_limit ? String(profile.size_limit) : '',
          (side) => change({ size_limit: Number(side) || null }),
          labels.texelsEmptyForNoLimit,
        )}
        {pick(
          labels.powersOfTwo,
          profile.resize ?? 'none',
          [
            ['none', labels.sizesStay],
            ['down', labels.toTheNextSmaller],
            ['up', labels.toTheNextLarger],
          ],
          (resize) => change({ resize }),
        )}
        {text(
          labels.memoryBudget,
          profile.budget ? String(profile.budget) : '',
          (budget) => change({ budget: Number(budget) || null }),
          labels.mbOfTexturesEmptyForNone,
        )}
        {text(
          labels.halved,
          String(profile.halve ?? 0),
          (halve) => change({ halve: Number(halve) || 0 }),
          labels.soManyTimes,
        )}
        {text(
          labels.paddingRoundIslands,
          String(profile.padding ?? 0),
          (padding) => change({ padding: Number(padding) || 0 }),
          labels.texels0LeavesMapsAsThey,
        )}
        {pick(
          labels.containers,
          profile.mesh?.containers ?? 'each',
          [
            ['each', labels.oneForEachMesh],
            ['one', labels.oneForAllAsTheyAre],
          ],
          (containers) => mesh({ containers }),
        )}
        {pick(
          labels.uvTransforms,
          profile.mesh?.uv_transform ?? 'carried',
          [
            ['carried', labels.saidBesideTheMaterial],
            ['baked', labels.workedIntoTheUvs],
          ],
          (uv_transform) => mesh({ uv_transform }),
        )}
        {profile.container === 'usdz' &&
          pick(
            labels.up,
            profile.mesh?.up ?? 'y',
            [
              ['y', 'y'],
              ['z', 'z'],
            ],
            (up) => mesh({ up }),
          )}
        {profile.container === 'usdz' &&
          pick(
            labels.lengths,
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
            label={labels.ktx2FilesBringMips}
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
            label={labels.tintsGoAsFactorsBesideShared}
            control={
              <Checkbox
                checked={profile.tints === 'carried'}
                onChange={(event) => change({ tints: event.target.checked ? 'carried' : 'baked' })}
              />
            }
          />
        )}
        <FormControlLabel
          label={labels.vertexColoursGoAlong}
          control={
            <Checkbox
              checked={profile.mesh?.vertex_colours ?? false}
              onChange={(event) => mesh({ vertex_colours: event.target.checked })}
            />
          }
        />
      </div>
      <FormControlLabel
        label={labels.theEngineCompressesTexturesOnImport}
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
