import { MenuItem, TextField } from '@mui/material'

import type { Profile } from '../api/types'
import { Tick } from '../components/Tick'
import { labels } from '../words/export'

interface Props {
  profile: Profile
  change: (part: Partial<Profile>) => void
}

/** What a target says besides its files. */
export function TargetFields({ profile, change }: Props) {
  const mesh = (part: Partial<Mesh>) =>
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
  return (
    <>
      <div className="fields three">
        <PackageFields profile={profile} change={change} />
        <SizeFields profile={profile} change={change} />
        <MeshFields profile={profile} change={mesh} />
      </div>
      <Ticks profile={profile} change={change} changeMesh={mesh} />
    </>
  )
}

type Mesh = NonNullable<Profile['mesh']>

interface TextProps {
  label: string
  value: string
  set: (value: string) => void
  help?: string
}

function Text({ label, value, set, help = '' }: TextProps) {
  return (
    <TextField
      label={label}
      value={value}
      helperText={help}
      onChange={(event) => set(event.target.value)}
    />
  )
}

interface PickProps<T extends string> {
  label: string
  value: T
  options: readonly (readonly [T, string])[]
  set: (value: T) => void
}

function Pick<T extends string>({ label, value, options, set }: PickProps<T>) {
  return (
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
}

function PackageFields({ profile, change }: Props) {
  return (
    <>
      <Text label={labels.title} value={profile.title} set={(title) => change({ title })} />
      <Text
        label={labels.id}
        value={profile.id}
        set={(id) => change({ id })}
        help={labels.smallLettersDigitsAnd}
      />
      <Text
        label={labels.namesOfFiles}
        value={profile.name_rule ?? ''}
        set={(name_rule) => change({ name_rule })}
        help="{material} {suffix} {target}"
      />
      <Pick
        label={labels.container}
        value={profile.container}
        options={[
          ['glb', labels.oneGlb],
          ['gltf', labels.gltfAndFiles],
          ['gltf-embedded', labels.oneGltfAllInItsText],
          ['usdz', labels.oneUsdz],
          ['loose', labels.meshAndLooseMaps],
        ]}
        set={(container) => change({ container })}
      />
      <Pick
        label={labels.greenOfNormals}
        value={profile.normal_y ?? '+'}
        options={[
          ['+', labels.pointsUpY],
          ['-', labels.pointsDownY],
        ]}
        set={(normal_y) => change({ normal_y })}
      />
      <Pick
        label={labels.workflow}
        value={profile.workflow ?? 'metallic'}
        options={[
          ['metallic', labels.metallicAndRoughness],
          ['specular', labels.diffuseAndSpecular],
        ]}
        set={(workflow) => change({ workflow })}
      />
    </>
  )
}

function SizeFields({ profile, change }: Props) {
  return (
    <>
      <Text
        label={labels.longestSide}
        value={profile.size_limit ? String(profile.size_limit) : ''}
        set={(side) => change({ size_limit: Number(side) || null })}
        help={labels.texelsEmptyForNoLimit}
      />
      <Pick
        label={labels.powersOfTwo}
        value={profile.resize ?? 'none'}
        options={[
          ['none', labels.sizesStay],
          ['down', labels.toTheNextSmaller],
          ['up', labels.toTheNextLarger],
        ]}
        set={(resize) => change({ resize })}
      />
      <Text
        label={labels.memoryBudget}
        value={profile.budget ? String(profile.budget) : ''}
        set={(budget) => change({ budget: Number(budget) || null })}
        help={labels.mbOfTexturesEmptyForNone}
      />
      <Text
        label={labels.halved}
        value={String(profile.halve ?? 0)}
        set={(halve) => change({ halve: Number(halve) || 0 })}
        help={labels.soManyTimes}
      />
      <Text
        label={labels.paddingRoundIslands}
        value={String(profile.padding ?? 0)}
        set={(padding) => change({ padding: Number(padding) || 0 })}
        help={labels.texels0LeavesMapsAsThey}
      />
    </>
  )
}

interface MeshProps {
  profile: Profile
  change: (part: Partial<Mesh>) => void
}

function MeshFields({ profile, change }: MeshProps) {
  const { mesh } = profile
  return (
    <>
      <Pick
        label={labels.containers}
        value={mesh?.containers ?? 'each'}
        options={[
          ['each', labels.oneForEachMesh],
          ['one', labels.oneForAllAsTheyAre],
        ]}
        set={(containers) => change({ containers })}
      />
      <Pick
        label={labels.uvTransforms}
        value={mesh?.uv_transform ?? 'carried'}
        options={[
          ['carried', labels.saidBesideTheMaterial],
          ['baked', labels.workedIntoTheUvs],
        ]}
        set={(uv_transform) => change({ uv_transform })}
      />
      {profile.container === 'usdz' && (
        <>
          <Pick
            label={labels.up}
            value={mesh?.up ?? 'y'}
            options={[
              ['y', 'y'],
              ['z', 'z'],
            ]}
            set={(up) => change({ up })}
          />
          <Pick
            label={labels.lengths}
            value={mesh?.unit ?? 'm'}
            options={[
              ['m', labels.metres],
              ['cm', labels.centimetres],
            ]}
            set={(unit) => change({ unit })}
          />
        </>
      )}
    </>
  )
}

interface TicksProps extends Props {
  changeMesh: (part: Partial<Mesh>) => void
}

function Ticks({ profile, change, changeMesh }: TicksProps) {
  const bringsMips =
    profile.container === 'loose' ||
    profile.mips ||
    profile.files.some((file) => file.format === 'ktx2')
  return (
    <>
      <div className="row wrap">
        {bringsMips && (
          <Tick
            label={labels.ktx2FilesBringMips}
            on={profile.mips ?? false}
            set={(mips) => change({ mips })}
          />
        )}
        {['glb', 'gltf', 'gltf-embedded'].includes(profile.container) && (
          <Tick
            label={labels.tintsGoAsFactorsBesideShared}
            on={profile.tints === 'carried'}
            set={(on) => change({ tints: on ? 'carried' : 'baked' })}
          />
        )}
        <Tick
          label={labels.vertexColoursGoAlong}
          on={profile.mesh?.vertex_colours ?? false}
          set={(vertex_colours) => changeMesh({ vertex_colours })}
        />
      </div>
      <Tick
        label={labels.theEngineCompressesTexturesOnImport}
        on={profile.import?.compression === 'blocks'}
        set={(on) =>
          change({
            import: {
              settings_from: 'package',
              ...profile.import,
              compression: on ? 'blocks' : 'none',
            },
          })
        }
      />
    </>
  )
}
