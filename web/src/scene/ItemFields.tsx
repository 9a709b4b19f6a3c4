import { ScenePart } from './styles'
import { Button, MenuItem, TextField } from '@mui/material'

import { useEdit } from '../api/changes'
import type { MeshFacts, SceneItem } from '../api/types'
import { NumberField } from '../components/NumberField'
import { STANDS } from './place'
import { labels } from '../words/scene'

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
    <ScenePart aria-label={labels.inTheScene(name)}>
      <div className="row">
        <h2 className="grow ellipsis">{name}</h2>
        <Button onClick={taken} title={labels.removeItFromTheSceneIts}>
          {labels.remove}
        </Button>
      </div>
      <TextField
        select
        label={labels.mesh}
        value={item.mesh}
        onChange={(event) => change({ mesh: event.target.value })}
      >
        {meshes.map((mesh) => (
          <MenuItem key={mesh.name} value={mesh.name}>
            {mesh.name}
          </MenuItem>
        ))}
      </TextField>
      <h3>{labels.positionInMetres}</h3>
      {three('position', position, [labels.right, labels.up, labels.front], [-10000, 10000])}
      <h3>{labels.rotationInDegrees}</h3>
      {three('rotation', rotation, [labels.pitch, labels.yaw, labels.roll], [-360, 360])}
      <div className="three">
        <NumberField
          label={labels.sizeTimes}
          value={scale}
          limits={[0.001, 1000]}
          done={(value) => change({ scale: value })}
        />
        <Button
          sx={{ gridColumn: 'span 2' }}
          title={labels.onTheGroundUprightAsLarge}
          onClick={() =>
            change({ position: [position[0], 0, position[2]], rotation: [0, 0, 0], scale: 1 })
          }
        >
          {labels.uprightOnTheGround}
        </Button>
      </div>
      <h3>{labels.repeated}</h3>
      <div className="four">
        <NumberField
          label={labels.across}
          value={repeat[0]}
          limits={[1, 50]}
          done={(value) => change({ repeat: [Math.round(value), repeat[1]] })}
        />
        <NumberField
          label={labels.everyM}
          value={every[0]}
          done={(value) => change({ every: [value, every[1]] })}
        />
        <NumberField
          label={labels.deep}
          value={repeat[1]}
          limits={[1, 50]}
          done={(value) => change({ repeat: [repeat[0], Math.round(value)] })}
        />
        <NumberField
          label={labels.everyM}
          value={every[1]}
          done={(value) => change({ every: [every[0], value] })}
        />
      </div>
    </ScenePart>
  )
}
