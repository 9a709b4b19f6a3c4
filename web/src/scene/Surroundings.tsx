import { Autocomplete, Button, Checkbox, FormControlLabel, TextField } from '@mui/material'
import { useEffect, useState } from 'react'

import { useEdit } from '../api/changes'
import type { Document } from '../api/types'
import { AskName } from '../components/AskName'
import { NumberField } from '../components/NumberField'
import { usePanoramas } from '../viewport/PanoramaPick'
import { seeFrom, useCameraApi } from './cameraApi'

type Scene = NonNullable<Document['scene']>

/** What everything stands on. */
export function GroundFields({ scene, materials }: { scene: Scene; materials: string[] }) {
  const edit = useEdit()
  const ground = scene.ground ?? null
  return (
    <section className="scene-part" aria-label="Ground">
      <FormControlLabel
        label="Ground"
        control={
          <Checkbox
            checked={ground !== null}
            onChange={(event) =>
              void edit({ kind: 'set-ground', change: event.target.checked ? {} : null })
            }
          />
        }
      />
      {ground && (
        <>
          <Autocomplete
            autoHighlight
            options={materials}
            value={ground.material ?? null}
            onChange={(_, material) => void edit({ kind: 'set-ground', change: { material } })}
            renderInput={(params) => (
              <TextField {...params} label="Its material" placeholder="plain grey" />
            )}
          />
          <div className="two">
            <NumberField
              label="Side, m"
              value={ground.size ?? 20}
              limits={[0.01, 10000]}
              done={(size) => void edit({ kind: 'set-ground', change: { size } })}
            />
            <NumberField
              label="Map covers, m"
              value={ground.tile ?? 2}
              limits={[0.001, 10000]}
              done={(tile) => void edit({ kind: 'set-ground', change: { tile } })}
            />
          </div>
        </>
      )}
    </section>
  )
}

/** A sun beside the light set-up. */
export function SunFields({ scene }: { scene: Scene }) {
  const edit = useEdit()
  const sun = scene.sun ?? null
  const field = (
    label: string,
    key: 'turn' | 'height' | 'strength',
    value: number,
    limits: readonly [number, number],
  ) => (
    <NumberField
      label={label}
      value={value}
      limits={limits}
      done={(next) => void edit({ kind: 'set-sun', change: { [key]: next } })}
    />
  )
  return (
    <section className="scene-part" aria-label="Sun">
      <FormControlLabel
        label="Sun, with shadows"
        control={
          <Checkbox
            checked={sun !== null}
            onChange={(event) =>
              void edit({ kind: 'set-sun', change: event.target.checked ? {} : null })
            }
          />
        }
      />
      {sun && (
        <div className="three">
          {field('From, °', 'turn', sun.turn ?? 35, [-360, 360])}
          {field('Height, °', 'height', sun.height ?? 40, [0, 90])}
          {field('Strength', 'strength', sun.strength ?? 3, [0, 100])}
        </div>
      )}
    </section>
  )
}

/** Light from all around, by a map of the project. */
export function PanoramaField({ scene }: { scene: Scene }) {
  const edit = useEdit()
  const known = usePanoramas().map((map) => map.name)
  const chosen = scene.panorama ?? null
  if (known.length === 0 && chosen === null)
    return (
      <section className="scene-part" aria-label="Panorama">
        <p className="small">
          Lit by the set-up below. A Radiance HDR or EXR that is imported as a map, twice as wide as
          high, can light the scene instead.
        </p>
      </section>
    )
  return (
    <section className="scene-part" aria-label="Panorama">
      <Autocomplete
        autoHighlight
        options={known}
        value={chosen}
        onChange={(_, map) => void edit({ kind: 'set-panorama', map })}
        renderInput={(params) => (
          <TextField {...params} label="Lit by a panorama" placeholder="the light set-up below" />
        )}
      />
    </section>
  )
}

/** Places of the camera that were kept. */
export function Views({ scene }: { scene: Scene }) {
  const edit = useEdit()
  const hand = useCameraApi((state) => state.hand)
  const [asking, ask] = useState(false)
  useEffect(() => () => useCameraApi.getState().set({ wanted: null }), [])
  const views = Object.entries(scene.views ?? {})
  return (
    <section className="scene-part" aria-label="Kept views">
      <div className="row">
        <h2 className="grow">Views</h2>
        <Button
          disabled={!hand}
          title="Keep from where the scene is seen now, under a name"
          onClick={() => ask(true)}
        >
          Save this view…
        </Button>
      </div>
      {views.length === 0 && <p className="small">A view that is kept is there for everybody.</p>}
      {views.map(([name, view]) => (
        <div key={name} className="row">
          <button
            className="link grow ellipsis"
            title={`See the scene from ${name}`}
            onClick={() => seeFrom({ position: [...view.position], target: [...view.target] })}
          >
            {name}
          </button>
          <Button
            variant="text"
            aria-label={`Delete the view ${name}`}
            onClick={() => void edit({ kind: 'keep-view', name, view: null })}
          >
            Delete
          </Button>
        </div>
      ))}
      {asking && (
        <AskName
          title="Save this view"
          label="Name"
          initial={`view ${views.length + 1}`}
          hint="A view of that name is replaced."
          close={() => ask(false)}
          done={(name) => {
            if (hand) void edit({ kind: 'keep-view', name, view: { ...hand.seen() } })
          }}
        />
      )}
    </section>
  )
}
