import { Button, MenuItem, TextField } from '@mui/material'

import { useEdit } from '../api/changes'
import type { MeshFacts, SceneItem } from '../api/types'
import { NumberField } from '../components/NumberField'
import { STANDS } from './place'

interface Props {
  name: string
  item: SceneItem
  meshes: MeshFacts[]
  taken: () => void
}

type Axes = readonly [string, string, string]

/** Where the chosen thing stands, in numbers. */
export function ItemFields({ name, item, meshes, taken }: Props) {
  const edit = useEdit()
  const { position, rotation, scale, repeat, every } = { ...STANDS, ...item }
  const change = (part: Partial<SceneItem>) =>
    void edit({ kind: 'move-item', item: name, change: part })
  const three = (
    key: 'position' | 'rotation',
    values: readonly [number, number, number],
    labels: Axes,
    limits: readonly [number, number],
  ) => (
    <div className="three">
      {labels.map((label, axis) => (
        <NumberField
          key={label}
          label={label}
          value={values[axis]!}
          limits={limits}
          done={(value) =>
            change({ [key]: values.map((old, at) => (at === axis ? value : old)) } as never)
          }
        />
      ))}
    </div>
  )
  return (
    <section className="scene-part" aria-label={`${name} in the scene`}>
      <div className="row">
        <h2 className="grow ellipsis">{name}</h2>
        <Button onClick={taken} title="Remove it from the scene; its mesh stays in the project">
          Remove
        </Button>
      </div>
      <TextField
        select
        label="Mesh"
        value={item.mesh}
        onChange={(event) => change({ mesh: event.target.value })}
      >
        {meshes.map((mesh) => (
          <MenuItem key={mesh.name} value={mesh.name}>
            {mesh.name}
          </MenuItem>
        ))}
      </TextField>
      <h3>Position, in metres</h3>
      {three('position', position, ['Right', 'Up', 'Front'], [-10000, 10000])}
      <h3>Rotation, in degrees</h3>
      {three('rotation', rotation, ['Pitch', 'Yaw', 'Roll'], [-360, 360])}
      <div className="three">
        <NumberField
          label="Size, times"
          value={scale}
          limits={[0.001, 1000]}
          done={(value) => change({ scale: value })}
        />
        <Button
          sx={{ gridColumn: 'span 2' }}
          title="On the ground, upright, as large as it is"
          onClick={() =>
            change({ position: [position[0], 0, position[2]], rotation: [0, 0, 0], scale: 1 })
          }
        >
          Upright on the ground
        </Button>
      </div>
      <h3>Repeated</h3>
      <div className="four">
        <NumberField
          label="Across"
          value={repeat[0]}
          limits={[1, 50]}
          done={(value) => change({ repeat: [Math.round(value), repeat[1]] })}
        />
        <NumberField
          label="every, m"
          value={every[0]}
          done={(value) => change({ every: [value, every[1]] })}
        />
        <NumberField
          label="Deep"
          value={repeat[1]}
          limits={[1, 50]}
          done={(value) => change({ repeat: [repeat[0], Math.round(value)] })}
        />
        <NumberField
          label="every, m"
          value={every[1]}
          done={(value) => change({ every: [every[0], value] })}
        />
      </div>
    </section>
  )
}
